/** Ink by hand. */
import PenTool from '@lucide/svelte/icons/pen';
import { inkedPath } from '../drawn/inked';
import { along } from '../drawn/marks';
import { drawMeeting, type Meeting, MEETING_REACH, meetingNear, type Sought } from '../drawn/meeting';
import { boxOf } from '../geometry/box';
import { onStep } from '../geometry/steps';
import { type Inked, shaped } from '../geometry/stroke';
import { bench } from '../state/bench.svelte';
import { pen } from '../state/pen.svelte';
import { sheet } from '../state/sheet.svelte';
import { shots } from '../state/shots.svelte';
import type { Pt } from '../types/Pt';
import type { Sample } from '../types/Sample';
import type { InHand, Stroke, Tool } from './tool';

/** Strokes that were let go and are not stored yet: they stay in sight until what was drawn is there. */
export const wet = new Set<{ points: Inked[]; colour: string }>();

export const penNow = () => pen.on(sheet.view?.dpi ?? 300, bench.camera.scale);

export function inkColour(): string {
    const own = pen.settings.swatch ? shots.colours.get(pen.settings.swatch) : undefined;
    const [r, g, b] = sheet.view?.recipes.lift.ink_colour ?? [20, 19, 17];
    return own ?? `rgb(${r} ${g} ${b})`;
}

/** The swatch of new ink, if the shot still has it. */
export function swatchNow(): string | null {
    const { swatch } = pen.settings;
    return swatch !== null && shots.colours.has(swatch) ? swatch : null;
}

/** How near to an end of a line ink must begin or end to catch it, and how long it is to catch itself, px of the screen. */
const CATCHES = 9;
const OWN = 60;

/** What ink at a place would catch; a free hand unless it is said to be straight. */
export function caught(place: Pt, more: Partial<Sought> = {}): Meeting | null {
    return bench.free ? null : meetingNear(place, { reach: CATCHES / bench.camera.scale, ...more });
}

/** A stroke with its ends on what they nearly meet, or on its own beginning; and what it meets. */
function catching(samples: Sample[]): { samples: Sample[]; meets: Meeting[] } {
    const [first, last] = [samples[0], samples[samples.length - 1]];
    if (!first || !last) return { samples, meets: [] };
    const placeOf = (s: Sample): Pt => [s[0], s[1]];
    // One that is straight, by a key or by waiting, has its two ends.
    const straight = samples.length === 2;
    const begins = caught(placeOf(first), { straight });
    const { scale } = bench.camera;
    const far = (a: Pt, b: Pt) => Math.hypot(a[0] - b[0], a[1] - b[1]) * scale;
    const start = begins?.at ?? placeOf(first);
    let ends: Meeting | null = null;
    if (samples.length > 1 && !bench.free) {
        const way = samples.slice(1).reduce((sum, s, k) => sum + far(placeOf(s), placeOf(samples[k]!)), 0);
        const own: Meeting = { at: start, of: ['end'], ends: [] };
        if (way > OWN)
            ends =
                far(placeOf(last), start) < CATCHES
                    ? own
                    : caught(placeOf(last), { straight, from: straight ? start : null });
    }
    const at = (s: Sample, m: Meeting | null): Sample => (m ? [m.at[0], m.at[1], s[2], s[3], s[4]] : s);
    const caughtUp = samples.map((s, k) => (k === 0 ? at(s, begins) : k === samples.length - 1 ? at(s, ends) : s));
    return { samples: caughtUp, meets: [begins, ends].filter((p) => p !== null) };
}

async function use(stroke: Stroke) {
    const { samples } = catching(stroke.samples);
    const { under, fuse } = pen.settings;
    const drawn = { points: shaped(samples, penNow()), colour: inkColour() };
    wet.add(drawn);
    try {
        await sheet.do({ of: 'draw', do: 'ink', samples, pen: penNow(), swatch: swatchNow(), under, fuse });
    } finally {
        wet.delete(drawn);
    }
}

/** From where it began straight to where the pen is; in steps of 15 degrees. */
export function straight(start: Pt, here: Pt, { inSteps }: { inSteps: boolean }): Pt[] {
    return [start, inSteps ? onStep(start, here) : here];
}

function draw({ g, camera, samples, ahead, hover }: InHand) {
    const put = (points: Inked[], colour: string) => {
        g.fillStyle = colour;
        g.fill(inkedPath(points, (x, y) => camera.toScreen([x, y]), camera.scale));
    };
    const sheetIs = sheet.view;
    if (!sheetIs) return;
    // No ink is left beside the sheet.
    g.save();
    g.beginPath();
    along(g, camera.corners([0, 0, sheetIs.width, sheetIs.height]));
    g.clip();
    for (const { points, colour } of wet) put(points, colour);
    const shown = catching(samples);
    // Where it meets something it ends there, whatever is foreseen.
    const more = shown.meets.length > 0 ? [] : ahead;
    if (samples.length > 0) put(shaped([...shown.samples, ...more], penNow()), inkColour());
    g.restore();
    const over = samples.length === 0 && hover ? caught(camera.toSheet(hover)) : null;
    for (const m of [...shown.meets, ...(over ? [over] : [])]) drawMeeting(g, m);
    if (samples.length === 0 && hover && !over) {
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
        places.push(...bench.camera.corners(boxOf(points)));
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
    straightens: true,
    follows: true,
    keepsWet: true,
    use,
    draw,
    drawsOn: () => ({ around: Math.max(reach(), MEETING_REACH), places: wetPlaces() }),
};
