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

test('a mark is as near as the nearest of its two sides and its middle', () => {
    fc.assert(
        fc.property(finding('f'), fc.tuple(fc.nat(900), fc.nat(700)), scale, (f, p, s) => {
            const c = camera(s);
            const d = markDistance(c, f, p);
            const to = f.to ?? f.at;
            const middle: [number, number] = [(f.at[0] + to[0]) / 2, (f.at[1] + to[1]) / 2];
            const ways = [f.at, to, middle].map((q) => {
                const [x, y] = c.toScreen(q);
                return Math.hypot(x - p[0], y - p[1]);
            });
            expect(d).toBeCloseTo(Math.min(...ways), 6);
        }),
    );
});
