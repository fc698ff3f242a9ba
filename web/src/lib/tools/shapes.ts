/** A straight line, a rectangle, an ellipse. */
import Circle from '@lucide/svelte/icons/circle';
import Minus from '@lucide/svelte/icons/minus';
import Square from '@lucide/svelte/icons/square';
import { drawMeeting, type Meeting } from '../drawn/meeting';
import { pen } from '../state/pen.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';
import type { Shape } from '../types/Shape';
import { caught, inkColour, penNow, straight, swatchNow } from './ink';
import type { How, InHand, Stroke, Tool } from './tool';

/** Corners, or ends, on what they nearly meet; in steps they stay where those are. */
function meeting(
    shape: Shape,
    [from, to]: [Pt, Pt],
    { inSteps, fromCentre }: How,
): { from: Pt; to: Pt; meets: Meeting[] } {
    // The corners of its box lie nowhere on an ellipse, but its sides touch what the box is in line with.
    const sought = { straight: true, inLineOnly: shape === 'ellipse' };
    const a = fromCentre ? null : caught(from, sought);
    const start = a?.at ?? from;
    const b = fromCentre || inSteps ? null : caught(to, { ...sought, from: shape === 'line' ? start : null });
    return { from: a?.at ?? from, to: b?.at ?? to, meets: [a, b].filter((m) => m !== null) };
}

function use(shape: Shape, stroke: Stroke) {
    if (stroke.still) return;
    const { from, to } = meeting(shape, [stroke.from, stroke.to], stroke.how);
    const { under, shapes } = pen.settings;
    const { width } = penNow();
    return sheet.do({ of: 'draw', do: 'shape', shape, from, to, width, inked: shapes, swatch: swatchNow(), under });
}

/** The box from one corner, or from the middle; with Shift as broad as it is high. */
function boxed(start: Pt, here: Pt, { inSteps, fromCentre }: { inSteps: boolean; fromCentre: boolean }): Pt[] {
    let [dx, dy] = [here[0] - start[0], here[1] - start[1]];
    if (inSteps) {
        const side = Math.max(Math.abs(dx), Math.abs(dy));
        [dx, dy] = [Math.sign(dx || 1) * side, Math.sign(dy || 1) * side];
    }
    const from: Pt = fromCentre ? [start[0] - dx, start[1] - dy] : start;
    return [from, [start[0] + dx, start[1] + dy]];
}

function draw(shape: Shape, { g, camera, stroke, how, hover, onSheet }: InHand) {
    const [first, last] = [stroke[0], stroke[stroke.length - 1]];
    if (!first || !last) {
        const over = hover ? caught(camera.toSheet(hover), { straight: true, inLineOnly: shape === 'ellipse' }) : null;
        if (over) drawMeeting(g, over);
        return;
    }
    const { from, to, meets } = meeting(shape, [first, last], how);
    const [[ax, ay], [bx, by]] = [from, to];
    onSheet(() => {
        g.beginPath();
        if (shape === 'line') {
            g.moveTo(ax, ay);
            g.lineTo(bx, by);
        } else if (shape === 'rectangle') g.rect(ax, ay, bx - ax, by - ay);
        else g.ellipse((ax + bx) / 2, (ay + by) / 2, Math.abs(bx - ax) / 2, Math.abs(by - ay) / 2, 0, 0, 2 * Math.PI);
        g.lineCap = 'round';
        g.lineJoin = 'round';
        g.lineWidth = Math.max(0.5 / camera.scale, penNow().width);
        g.fillStyle = g.strokeStyle = inkColour();
        if (shape !== 'line' && pen.settings.shapes !== 'line') g.fill();
        if (shape === 'line' || pen.settings.shapes !== 'filled') g.stroke();
    });
    for (const m of meets) drawMeeting(g, m);
}

const tool = (shape: Shape, words: Pick<Tool, 'name' | 'help' | 'icon'>): Tool => ({
    id: shape,
    ...words,
    cursor: 'crosshair',
    held: shape === 'line' ? straight : boxed,
    use: (stroke) => use(shape, stroke),
    follows: true,
    always: () => true,
    draw: (hand) => draw(shape, hand),
    drawsOn: () => 'all',
});

export const line = tool('line', {
    name: 'Line',
    help: 'Draw a straight line; in steps of 15° with Shift',
    icon: Minus,
});
export const rectangle = tool('rectangle', {
    name: 'Rectangle',
    help: 'Draw a rectangle from corner to corner; a square with Shift, from its middle with Alt',
    icon: Square,
});
export const ellipse = tool('ellipse', {
    name: 'Ellipse',
    help: 'Draw an ellipse from corner to corner; a circle with Shift, from its middle with Alt',
    icon: Circle,
});
