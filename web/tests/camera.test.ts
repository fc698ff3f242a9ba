import './page';
import fc from 'fast-check';
import { expect, test } from 'vitest';
import { Camera } from '../src/lib/geometry/camera.svelte';
import { levelAt } from '../src/lib/canvas/tiles';

const coordinate = fc.double({ min: -5000, max: 5000, noNaN: true });
const place = fc.tuple(coordinate, coordinate);
const angle = fc.double({ min: -Math.PI, max: Math.PI, noNaN: true });

function camera() {
    const c = new Camera();
    [c.width, c.height] = [900, 600];
    return c;
}

const near = (a: [number, number], b: [number, number], by = 1e-6) =>
    expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThan(by);

test('a place of the sheet and its place on the screen are the same both ways', () => {
    fc.assert(
        fc.property(
            place,
            place,
            fc.double({ min: 0.02, max: 32, noNaN: true }),
            angle,
            fc.boolean(),
            (p, at, ...view) => {
                const c = camera();
                [c.x, c.y] = at;
                [c.scale, c.turn, c.mirrored] = view;
                near(c.toSheet(c.toScreen(p)), p);
                // A context laid to the sheet draws just there.
                let m: number[] = [];
                c.onto({ setTransform: (...v: number[]) => (m = v) } as unknown as CanvasRenderingContext2D, 2, 10, 20);
                const [a, b, d, e, x, y] = m as [number, number, number, number, number, number];
                const [sx, sy] = c.toScreen(p);
                near([a * p[0] + d * p[1] + x, b * p[0] + e * p[1] + y], [2 * (sx - 10), 2 * (sy - 20)], 1e-4);
            },
        ),
    );
});

test('what is under the pointer stays there while zooming, and the zoom keeps within its bounds', () => {
    fc.assert(
        fc.property(
            fc.tuple(fc.nat(900), fc.nat(600)),
            fc.array(fc.double({ min: 0.3, max: 3, noNaN: true }), { maxLength: 20 }),
            (pointer, factors) => {
                const c = camera();
                c.fit(4800, 3600);
                const under = c.toSheet(pointer);
                for (const by of factors) c.zoom(by, pointer);
                near(c.toSheet(pointer), under, 1e-3);
                expect(c.scale).toBeGreaterThanOrEqual(0.02);
                expect(c.scale).toBeLessThanOrEqual(32);
            },
        ),
    );
});

test('turning and mirroring leave places apart as they are, and the place they are about where it is', () => {
    fc.assert(
        fc.property(place, place, angle, angle, fc.boolean(), (p, q, first, more, mirrored) => {
            const c = camera();
            [c.scale, c.turn, c.mirrored] = [0.5, first, mirrored];
            const apart = () => {
                const [a, b] = [c.toScreen(p), c.toScreen(q)];
                return Math.hypot(a[0] - b[0], a[1] - b[1]);
            };
            const before = apart();
            const under = c.toSheet([100, 200]);
            c.turnBy(more, [100, 200]);
            near(c.toSheet([100, 200]), under, 1e-5);
            expect(Math.abs(c.turn)).toBeLessThanOrEqual(Math.PI + 1e-9);
            // In a mirror each place lies as far on the other side.
            const [x, y] = c.toScreen(p);
            c.mirror();
            near(c.toScreen(p), [900 - x, y], 1e-5);
            expect(apart()).toBeCloseTo(before, 4);
        }),
    );
});

test('steps of turning come back to level, and what is almost level is set straight', () => {
    const c = camera();
    const step = Math.PI / 12;
    c.turnBy(0.1);
    c.turnInSteps(1);
    expect(c.turn).toBeCloseTo(step, 9);
    c.turnInSteps(-1);
    c.turnInSteps(-1);
    expect(c.turn).toBeCloseTo(-step, 9);
    c.turnInSteps(1);
    expect(c.isUpright || Math.abs(c.turn) < 1e-9).toBe(true);
    c.turnBy(Math.PI / 2 + 0.05);
    c.settle([0, 0]);
    expect(c.turn).toBeCloseTo(Math.PI / 2, 9);
    c.turnBy(0.2);
    c.settle([0, 0]);
    expect(c.turn).toBeCloseTo(Math.PI / 2 + 0.2, 9);
});

test('the box that holds what is in view holds it however the view lies', () => {
    fc.assert(
        fc.property(fc.nat(900), fc.nat(600), angle, fc.boolean(), (x, y, turn, mirrored) => {
            const c = camera();
            [c.turn, c.mirrored] = [turn, mirrored];
            const [px, py] = c.toSheet([x, y]);
            const [left, top, right, low] = c.box();
            expect(px >= left - 1e-6 && px <= right + 1e-6 && py >= top - 1e-6 && py <= low + 1e-6).toBe(true);
            const on = c.boxOnScreen([px, py, px, py]);
            near([on[0], on[1]], [x, y]);
        }),
    );
});

test('a sheet that is fitted lies in the middle with its margin around it', () => {
    for (const [w, h] of [
        [4800, 3600],
        [300, 2000],
        [2000, 100],
    ] as const) {
        const c = camera();
        c.fit(w, h, 48);
        const [left, top] = c.toScreen([0, 0]);
        const [right, low] = c.toScreen([w, h]);
        expect(Math.min(left, top)).toBeCloseTo(48, 6);
        expect(left + right).toBeCloseTo(900, 6);
        expect(top + low).toBeCloseTo(600, 6);
    }
});

test('panning moves the sheet with the hand, whatever the zoom', () => {
    const c = camera();
    c.fit(4800, 3600);
    const before = c.toScreen([100, 200]);
    c.pan(37, -12);
    near(c.toScreen([100, 200]), [before[0] + 37, before[1] - 12]);
});

test('a finding is brought near enough to judge it, and nothing moves when it is seen already', () => {
    const c = camera();
    c.fit(4800, 3600);
    c.bring([1000, 1200], [1040, 1200]);
    near(c.toScreen([1020, 1200]), [450, 300]);
    expect(c.scale).toBeCloseTo(0.9, 6);
    const { x, y, scale } = c;
    c.bring([1060, 1230], [1070, 1230]);
    expect([c.x, c.y, c.scale]).toEqual([x, y, scale]);
});

test('pictures are asked for at about the size they are shown', () => {
    expect([4, 1, 0.8, 0.5, 0.25, 0.1].map(levelAt)).toEqual([0, 0, 0, 1, 2, 3]);
    expect(levelAt(1e-6)).toBe(8);
    for (let scale = 0.02; scale < 30; scale *= 1.1) {
        // One pixel of the picture covers less than one and three quarters of the screen's.
        const pixel = scale * 2 ** levelAt(scale);
        if (scale < 1) expect(pixel).toBeLessThan(1.3);
        expect(pixel).toBeGreaterThan(0.01);
    }
});
