import fc from 'fast-check';
import { expect, test } from 'vitest';
import type { Box } from '../src/lib/geometry/box';
import { Camera } from '../src/lib/geometry/camera.svelte';
import { COUNT_CELL, type Colours, Counts, markDistance } from '../src/lib/drawn/marks';
import type { Finding } from '../src/lib/types/Finding';
import { box, finding, some } from './made';

/** What is drawn of counts: the figure and where. */
function told(counts: Counts): string[] {
    const out: string[] = [];
    const g = {
        ...{ beginPath() {}, arc() {}, fill() {} },
        fillText: (text: string, x: number, y: number) => out.push(`${text} at ${x.toFixed(3)}, ${y.toFixed(3)}`),
    };
    counts.draw(g as unknown as CanvasRenderingContext2D, {} as Colours);
    return out.sort();
}

function camera(scale: number) {
    const c = new Camera();
    Object.assign(c, { x: 500, y: 500, scale, width: 900, height: 700 });
    return c;
}

const named = (k: number) => finding(`f${k}`);
const scale = fc.double({ min: 0.1, max: 1, noNaN: true });

test('counts that are made anew where something changed are those of all', () => {
    fc.assert(
        fc.property(
            some(named, 40),
            some((k) => finding(`g${k}`), 10),
            box,
            scale,
            (stay, come, where, s) => {
                const c = camera(s);
                const inside = (f: Finding) =>
                    f.at[0] >= where[0] && f.at[0] <= where[2] && f.at[1] >= where[1] && f.at[1] <= where[3];
                // Within the box some go and others come.
                const [before, after] = [stay, [...stay.filter((f) => !inside(f)), ...come.filter(inside)]];
                const everywhere = Counts.around([-1e4, -1e4, 1e4, 1e4]);
                const [kept, anew] = [new Counts(), new Counts()];
                kept.recount(c, everywhere, before);
                const onScreen: Box = [...c.toScreen([where[0], where[1]]), ...c.toScreen([where[2], where[3]])];
                kept.recount(c, Counts.around(onScreen), after);
                anew.recount(c, everywhere, after);
                expect(told(kept)).toEqual(told(anew));
            },
        ),
    );
});

test('every finding is counted once, and the parts that a box touches hold it', () => {
    fc.assert(
        fc.property(some(named, 60), box, scale, (all, where, s) => {
            const counts = new Counts();
            counts.recount(camera(s), Counts.around([-1e4, -1e4, 1e4, 1e4]), all);
            const sum = told(counts).reduce((n, t) => n + Number(t.split(' ')[0]), 0);
            expect(sum).toBe(all.length);
            const [left, top, right, low] = Counts.around(where);
            expect(left <= where[0] && top <= where[1] && right >= where[2] && low >= where[3]).toBe(true);
            expect([left, top, right, low].every((v) => v % COUNT_CELL === 0)).toBe(true);
        }),
    );
});

test('a mark is taken at either of its sides and at its middle, whatever the zoom', () => {
    const gap = { at: [100, 100], to: [300, 100] } as unknown as Finding;
    const alone = { at: [100, 100], to: null } as unknown as Finding;
    for (const [zoom, x, y, far] of [
        // On each of its three places, then beside them, then beyond.
        [1, 100, 100, 0],
        [1, 300, 100, 0],
        [1, 200, 100, 0],
        [1, 200, 130, 30],
        [1, 150, 100, 50],
        [1, 340, 100, 40],
        [2, 400, 200, 0],
        [2, 400, 260, 60],
        [2, 300, 200, 100],
    ] as const) {
        const c = Object.assign(new Camera(), { x: 0, y: 0, scale: zoom, width: 0, height: 0 });
        expect(markDistance(c, gap, [x, y]), `${x}, ${y} at ${zoom}`).toBeCloseTo(far);
    }
    const c = Object.assign(new Camera(), { x: 0, y: 0, scale: 1, width: 0, height: 0 });
    expect(markDistance(c, alone, [130, 140])).toBeCloseTo(50);
});
