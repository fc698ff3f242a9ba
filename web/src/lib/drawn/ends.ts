/** Where lines end and run: what new ink catches. */
import { nearestOn } from '../geometry/chain';
import { chainsOf, endsOf } from '../geometry/places';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';

export interface Meeting {
    at: Pt;
    of: 'end' | 'line';
}

/** A line is met from nearer than an end, by this share. */
const LINE = 0.55;
/** How often the place on a line is looked for more closely. */
const CLOSER = 20;

function onCurve(points: Pt[], n: number, t: number): Pt {
    const u = 1 - t;
    const at = (k: 0 | 1) => {
        const [a, b, c, d] = [0, 1, 2, 3].map((i) => points[3 * n + i]![k]) as [number, number, number, number];
        return u * u * u * a + 3 * u * u * t * b + 3 * u * t * t * c + t * t * t * d;
    };
    return [at(0), at(1)];
}

/** The place of a chain nearest to another one. */
function nearest(points: Pt[], p: Pt): Pt {
    const { n, t } = nearestOn(points, p);
    const far = (t: number) => {
        const [x, y] = onCurve(points, n, t);
        return Math.hypot(x - p[0], y - p[1]);
    };
    let [low, high] = [Math.max(0, t - 1 / 16), Math.min(1, t + 1 / 16)];
    for (let k = 0; k < CLOSER; k++) {
        const [a, b] = [low + (high - low) / 3, high - (high - low) / 3];
        if (far(a) < far(b)) high = b;
        else low = a;
    }
    return onCurve(points, n, (low + high) / 2);
}

/** What ink at a place of the sheet would meet within so many px: the nearest end of a line, else the middle of one. */
export function meetingNear(p: Pt, reach: number): Meeting | null {
    const far = (q: Pt) => Math.hypot(q[0] - p[0], q[1] - p[1]);
    const lines = (sheet.view?.lines.within([...p, ...p], reach) ?? []).filter((l) => l.kind !== 'outline');
    const best = (list: Pt[], within: number) =>
        list.filter((q) => far(q) <= within).sort((a, b) => far(a) - far(b))[0] ?? null;
    const end = best(
        lines.flatMap((l) => endsOf(l) ?? []),
        reach,
    );
    if (end) return { at: end, of: 'end' };
    const on = best(
        lines.flatMap((l) => chainsOf(l.path).map(({ points }) => nearest(points, p))),
        LINE * reach,
    );
    return on && { at: on, of: 'line' };
}
