/** Boxes: left, top, right, bottom. */
import type { Pt } from '../types/Pt';

export type Box = [number, number, number, number];

export function around(a: Box | null, b: Box): Box {
    return a ? [Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.max(a[2], b[2]), Math.max(a[3], b[3])] : b;
}

/** The box around places. */
export function boxOf(places: readonly (readonly [number, number, ...unknown[]])[]): Box {
    let box: Box | null = null;
    for (const [x, y] of places) box = around(box, [x, y, x, y]);
    return box ?? [0, 0, 0, 0];
}

/** The corners of a box, in turn. */
export const cornersOf = ([left, top, right, low]: Box): Pt[] => [
    [left, top],
    [right, top],
    [right, low],
    [left, low],
];
