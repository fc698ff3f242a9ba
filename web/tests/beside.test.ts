import fc from 'fast-check';
import { expect, test } from 'vitest';
import { beside } from '../src/lib/geometry/beside';
import type { Box } from '../src/lib/geometry/box';

const ROOM: Box = [0, 0, 900, 600];
const SIZE = { width: 240, height: 30 };

function covers([x, y]: [number, number], box: Box) {
    const width = Math.min(x + 120, box[2]) - Math.max(x - 120, box[0]);
    const height = Math.min(y + 15, box[3]) - Math.max(y - 15, box[1]);
    return width > 0 && height > 0;
}

test('it stays in the room and never lies on what it is about', () => {
    const corner = fc.tuple(fc.integer({ min: 0, max: 880 }), fc.integer({ min: 0, max: 580 }));
    const thing = corner.map(([x, y]): Box => [x, y, Math.min(900, x + 90), Math.min(600, y + 90)]);
    fc.assert(
        fc.property(thing, fc.array(thing, { maxLength: 5 }), (about, others) => {
            const at = beside(about, SIZE, ROOM, others);
            expect(at[0] >= 120 && at[0] <= 780 && at[1] >= 15 && at[1] <= 585).toBe(true);
            expect(covers(at, about)).toBe(false);
        }),
    );
});

test('it lies below, or where it covers no other mark', () => {
    const about: Box = [400, 280, 440, 320];
    expect(beside(about, SIZE, ROOM, [])).toEqual([420, 345]);
    expect(beside(about, SIZE, ROOM, [[410, 335, 430, 355]])).toEqual([420, 255]);
    const both: Box[] = [
        [410, 335, 430, 355],
        [410, 245, 430, 265],
    ];
    expect(beside(about, SIZE, ROOM, both)).toEqual([570, 300]);
});
