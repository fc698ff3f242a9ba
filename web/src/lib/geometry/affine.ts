/** Affine maps: x' = a x + b y + c, y' = d x + e y + f. */
import type { Pt } from '../types/Pt';

export type Affine = [number, number, number, number, number, number];

export const NOWHERE: Affine = [1, 0, 0, 0, 1, 0];

export const moved = (dx: number, dy: number): Affine => [1, 0, dx, 0, 1, dy];

/** A map of directions, with a place that stays. */
function about([x, y]: Pt, [a, b, d, e]: [number, number, number, number]): Affine {
    return [a, b, x - a * x - b * y, d, e, y - d * x - e * y];
}

/** By an angle from +x to +y, radians. */
export const turned = (at: Pt, angle: number) =>
    about(at, [Math.cos(angle), -Math.sin(angle), Math.sin(angle), Math.cos(angle)]);
export const scaled = (at: Pt, across: number, down: number) => about(at, [across, 0, 0, down]);
/** By so much across for each pixel down, and down for each across. */
export const skewed = (at: Pt, across: number, down: number) => about(at, [1, across, down, 1]);

/** Whether it leaves everything where it is, within a hundredth of a pixel on a sheet. */
export const isNowhere = (m: Affine) => m.every((v, k) => Math.abs(v - NOWHERE[k]!) < (k % 3 === 2 ? 1e-2 : 1e-6));

/** First one, then another. */
export const inTurn = ([g, h, i, j, k, l]: Affine, [a, b, c, d, e, f]: Affine): Affine => [
    a * g + b * j,
    a * h + b * k,
    a * i + b * l + c,
    d * g + e * j,
    d * h + e * k,
    d * i + e * l + f,
];
