/** Straight lines without ends that ink can follow: guides, the grid, what is level or plumb with a place, ways on. */
import type { Pt } from '../types/Pt';

export interface Straight {
    at: Pt;
    /** Its way, of length 1. */
    way: Pt;
    /** It only leads from its place along its way, not back. */
    onward?: boolean;
}

/** Nearer to parallel than this, two have no crossing that a hand would mean: the sine of their angle. */
const PARALLEL = 0.05;

export const aslant = (at: Pt, angle: number): Straight => ({ at, way: [Math.cos(angle), Math.sin(angle)] });

/** The place of a straight line nearest to another one; `null`: it lies behind where it leads from. */
export function footOn({ at, way, onward }: Straight, p: Pt): Pt | null {
    const along = (p[0] - at[0]) * way[0] + (p[1] - at[1]) * way[1];
    return onward && along <= 0 ? null : [at[0] + along * way[0], at[1] + along * way[1]];
}

export function crossingOf(a: Straight, b: Straight): Pt | null {
    const sine = a.way[0] * b.way[1] - a.way[1] * b.way[0];
    if (Math.abs(sine) < PARALLEL) return null;
    const along = ((b.at[0] - a.at[0]) * b.way[1] - (b.at[1] - a.at[1]) * b.way[0]) / sine;
    return [a.at[0] + along * a.way[0], a.at[1] + along * a.way[1]];
}

/** The lines of a square grid that pass next to a place. */
export function gridAt(p: Pt, step: number): Straight[] {
    const next = (v: number) => Math.round(v / step) * step;
    return [
        { at: [next(p[0]), 0], way: [0, 1] },
        { at: [0, next(p[1])], way: [1, 0] },
    ];
}

/** Where a straight line enters and leaves a box, in the order of its way; `null`: it passes by. */
export function throughBox({ at, way }: Straight, [left, top, right, low]: [number, number, number, number]) {
    let [from, to] = [-Infinity, Infinity];
    for (const [p, u, least, most] of [
        [at[0], way[0], left, right],
        [at[1], way[1], top, low],
    ] as const) {
        if (Math.abs(u) < 1e-9) {
            if (p < least || p > most) return null;
            continue;
        }
        const [a, b] = [(least - p) / u, (most - p) / u];
        from = Math.max(from, Math.min(a, b));
        to = Math.min(to, Math.max(a, b));
    }
    if (from > to) return null;
    const on = (t: number): Pt => [at[0] + t * way[0], at[1] + t * way[1]];
    return [on(from), on(to)] as const;
}
