/** A path of curves, set point by point. */
import Spline from '@lucide/svelte/icons/spline';
import { drawMeeting, type Meeting } from '../drawn/meeting';
import { onStep } from '../geometry/steps';
import { bench } from '../state/bench.svelte';
import { chainThrough, clicked, type Point } from '../state/clicked.svelte';
import { pen } from '../state/pen.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';
import { caught, inkColour, penNow, swatchNow } from './ink';
import type { How, InHand, Stroke, Tool } from './tool';

/** How near to its first or last point a click ends the path, px of the screen. */
const ENDS = 10;

const far = (a: Pt, b: Pt) => Math.hypot(a[0] - b[0], a[1] - b[1]) * bench.camera.scale;

/** A point that is set where a stroke began, its handle where it was let go. */
function pointOf(from: Pt, to: Pt, { inSteps }: How): { point: Point; meets: Meeting | null } {
    const last = clicked.points[clicked.points.length - 1]?.at;
    const meets = inSteps && last ? null : caught(from, { straight: true, from: last ?? null });
    const place = meets?.at ?? from;
    const at = inSteps && last ? onStep(last, place) : place;
    const ahead: Pt | null = far(from, to) < ENDS / 2 ? null : [to[0] - from[0], to[1] - from[1]];
    return { point: { at, ahead }, meets };
}

/** Draws what was set so far. */
export async function finish(closed: boolean) {
    const { points } = clicked;
    if (points.length < 2) return clicked.clear();
    const { under, shapes } = pen.settings;
    await sheet.do({
        of: 'draw',
        do: 'path',
        points: chainThrough(points, closed),
        closed,
        width: penNow().width,
        inked: shapes,
        swatch: swatchNow(),
        under,
    });
    // More may have been set meanwhile.
    if (clicked.points === points) clicked.clear();
}

function use({ from, to, how }: Stroke) {
    const { points } = clicked;
    const [first, last] = [points[0], points[points.length - 1]];
    if (first && points.length > 2 && far(from, first.at) < ENDS) return finish(true);
    if (last && far(from, last.at) < ENDS) return finish(false);
    clicked.add(pointOf(from, to, how).point);
}

/** What it would be if the point under the pointer were set. */
function draw({ g, camera, stroke, hover, how, onSheet }: InHand) {
    const { points } = clicked;
    const [from, to] = [stroke[0] ?? (hover && camera.toSheet(hover)), stroke[stroke.length - 1]];
    const first = points[0];
    const closes = from && first && points.length > 2 && far(from, first.at) < ENDS;
    const next = from && !closes ? pointOf(from, to ?? from, how) : null;
    const chain = chainThrough([...points, ...(next ? [next.point] : [])], !!closes);
    if (chain.length > 1)
        onSheet(() => {
            g.beginPath();
            g.moveTo(...chain[0]!);
            for (let k = 1; k + 2 < chain.length; k += 3)
                g.bezierCurveTo(...chain[k]!, ...chain[k + 1]!, ...chain[k + 2]!);
            g.lineCap = g.lineJoin = 'round';
            g.fillStyle = g.strokeStyle = inkColour();
            g.lineWidth = Math.max(1 / camera.scale, penNow().width);
            if (pen.settings.shapes !== 'filled' || points.length < 2) g.stroke();
            g.globalAlpha = 0.6;
            if (pen.settings.shapes !== 'line') g.fill();
            g.globalAlpha = 1;
        });
    const whiskers = (p: Point) => {
        if (!p.ahead) return;
        const [u, v] = p.ahead;
        const ends = [1, -1].map((s) => camera.toScreen([p.at[0] + s * u, p.at[1] + s * v]));
        g.beginPath();
        g.moveTo(...ends[0]!);
        g.lineTo(...ends[1]!);
        g.lineWidth = 1.2;
        g.strokeStyle = '#2F5D50';
        g.stroke();
        for (const [x, y] of ends) {
            g.beginPath();
            g.arc(x, y, 3.5, 0, 2 * Math.PI);
            g.fillStyle = '#fffdf7';
            g.fill();
            g.stroke();
        }
    };
    if (next && to) whiskers(next.point);
    const last = points[points.length - 1];
    if (last) whiskers(last);
    points.forEach((p, k) => {
        const [x, y] = camera.toScreen(p.at);
        g.beginPath();
        g.arc(x, y, k === 0 && points.length > 2 ? 6 : 4.5, 0, 2 * Math.PI);
        g.fillStyle = k === 0 && closes ? '#2F5D50' : '#DE9F27';
        g.fill();
        g.lineWidth = 1.5;
        g.strokeStyle = '#2a2822';
        g.stroke();
    });
    if (next?.meets) drawMeeting(g, next.meets);
}

export const curves: Tool = {
    id: 'curves',
    name: 'Curves',
    help: 'Click from point to point, drag for a curve; click the first to close, the last to end',
    icon: Spline,
    cursor: 'crosshair',
    follows: true,
    held: (start, here) => [start, here],
    use,
    draw,
    drawsOn: () => 'all',
    always: () => true,
};
