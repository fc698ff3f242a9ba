/** Where something about a thing on the canvas is put: close by, where it covers nothing that matters. */
import type { Box } from './box';

export interface Size {
    width: number;
    height: number;
}

/** How far it stays from the thing, screen pixels. */
const AWAY = 10;

function shared(a: Box, b: Box): number {
    const width = Math.min(a[2], b[2]) - Math.max(a[0], b[0]);
    const height = Math.min(a[3], b[3]) - Math.max(a[1], b[1]);
    return width > 0 && height > 0 ? width * height : 0;
}

/**
 * The middle of a box of `size` beside `thing` and within `room`: of below, above, right and left the first that covers
 * least, where covering the thing itself counts for more than anything else.
 */
export function beside(thing: Box, size: Size, room: Box, others: Box[]): [number, number] {
    const [w, h] = [size.width / 2, size.height / 2];
    const middle = [(thing[0] + thing[2]) / 2, (thing[1] + thing[3]) / 2] as const;
    const places: [number, number][] = [
        [middle[0], thing[3] + AWAY + h],
        [middle[0], thing[1] - AWAY - h],
        [thing[2] + AWAY + w, middle[1]],
        [thing[0] - AWAY - w, middle[1]],
    ];
    const within = (v: number, low: number, high: number) => Math.max(low, Math.min(v, high));
    let best: { at: [number, number]; cost: number } | undefined;
    for (const [x, y] of places) {
        const at: [number, number] = [within(x, room[0] + w, room[2] - w), within(y, room[1] + h, room[3] - h)];
        const box: Box = [at[0] - w, at[1] - h, at[0] + w, at[1] + h];
        const cost = 100 * shared(box, thing) + others.reduce((sum, o) => sum + shared(box, o), 0);
        if (!best || cost < best.cost) best = { at, cost };
    }
    return best?.at ?? [middle[0], middle[1]];
}
