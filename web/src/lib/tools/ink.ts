/** Ink by hand. */
import PenTool from '@lucide/svelte/icons/pen';
import { inkedPath } from '../drawn/inked';
import { type Inked, shaped } from '../geometry/stroke';
import { bench } from '../state/bench.svelte';
import { pen } from '../state/pen.svelte';
import { sheet } from '../state/sheet.svelte';
import { shots } from '../state/shots.svelte';
import type { Pt } from '../types/Pt';
import type { InHand, Stroke, Tool } from './tool';

/** The turns that a straight line snaps to while Shift is held. */
const STEPS = Math.PI / 12;

/** Strokes that were let go and are not stored yet: they stay in sight until what was drawn is there. */
const wet = new Set<{ points: Inked[]; colour: string }>();

const penNow = () => pen.on(sheet.view?.dpi ?? 300, bench.camera.scale);

export function inkColour(): string {
    const own = pen.settings.swatch ? shots.colours.get(pen.settings.swatch) : undefined;
    const [r, g, b] = sheet.view?.recipes.lift.ink_colour ?? [20, 19, 17];
    return own ?? `rgb(${r} ${g} ${b})`;
}

async function use({ samples }: Stroke) {
    const { swatch, under } = pen.settings;
    const known = swatch !== null && shots.colours.has(swatch) ? swatch : null;
    const drawn = { points: shaped(samples, penNow()), colour: inkColour() };
    wet.add(drawn);
    await sheet.do({ of: 'draw', do: 'ink', samples, pen: penNow(), swatch: known, under });
    wet.delete(drawn);
}

/** From where it began straight to where the pen is; in steps of 15 degrees. */
function straight(start: Pt, here: Pt, inSteps: boolean): Pt[] {
    if (!inSteps) return [start, here];
    const [dx, dy] = [here[0] - start[0], here[1] - start[1]];
    const turn = Math.round(Math.atan2(dy, dx) / STEPS) * STEPS;
    const length = dx * Math.cos(turn) + dy * Math.sin(turn);
    return [start, [start[0] + length * Math.cos(turn), start[1] + length * Math.sin(turn)]];
}

function draw({ g, camera, samples, hover }: InHand) {
    const put = (points: Inked[], colour: string) => {
        g.fillStyle = colour;
        g.fill(inkedPath(points, (x, y) => camera.toScreen([x, y]), camera.scale));
    };
    const sheetIs = sheet.view;
    if (!sheetIs) return;
    // No ink is left beside the sheet.
    const [left, top] = camera.toScreen([0, 0]);
    const [right, low] = camera.toScreen([sheetIs.width, sheetIs.height]);
    g.save();
    g.beginPath();
    g.rect(left, top, right - left, low - top);
    g.clip();
    for (const { points, colour } of wet) put(points, colour);
    if (samples.length > 0) put(shaped(samples, penNow()), inkColour());
    g.restore();
    if (samples.length === 0 && hover) {
        g.beginPath();
        g.arc(hover[0], hover[1], Math.max(1, reach()), 0, 2 * Math.PI);
        g.lineWidth = 1.5;
        g.strokeStyle = '#2F5D50';
        g.stroke();
    }
}

/** Half the width of the pen on the screen, px. */
const reach = () => (penNow().width * (1 + pen.settings.tilt) * bench.camera.scale) / 2;

/** The corners of all that is wet, on the screen. */
function wetPlaces(): Pt[] {
    const places: Pt[] = [];
    for (const { points } of wet) {
        const [xs, ys] = [points.map((p) => p[0]), points.map((p) => p[1])];
        const [min, max] = [
            (v: number[]) => v.reduce((a, b) => Math.min(a, b)),
            (v: number[]) => v.reduce((a, b) => Math.max(a, b)),
        ];
        places.push(bench.camera.toScreen([min(xs), min(ys)]), bench.camera.toScreen([max(xs), max(ys)]));
    }
    return places;
}

export const ink: Tool = {
    id: 'ink',
    name: 'Ink',
    help: 'Draw a line as wide as the pen is pressed; straight in steps of 15° with Shift',
    icon: PenTool,
    cursor: 'crosshair',
    held: straight,
    keepsWet: true,
    use,
    draw,
    drawsOn: () => ({ around: reach() + 2, places: wetPlaces() }),
};
