import fc from 'fast-check';
import { beforeEach, expect, test, vi } from 'vitest';
import { Camera } from '../src/lib/geometry/camera.svelte';
import { Glance, windowSeen, type Wish } from '../src/lib/canvas/glance';
import { levelAt } from '../src/lib/canvas/tiles';
import type { GlanceTold } from '../src/lib/types/GlanceTold';
import { settled } from './page';

const asked = vi.hoisted(
    () => [] as { request: { exact: boolean }; answer: (v: unknown) => void; fail: (e: unknown) => void }[],
);

vi.mock('../src/lib/api', () => ({
    Refused: class Refused extends Error {
        told = { error: 'the points are out of their range' };
    },
    glance: (_: number, request: { exact: boolean }) =>
        new Promise((answer, fail) => asked.push({ request, answer, fail })),
}));

const wish = (reach: number, exact = false) =>
    ({
        drawing: 1,
        inking: { lift: { reach } },
        window: { x: 0 },
        exact,
        caught: false,
        trace: null,
    }) as unknown as Wish;
const told = { width: 0, height: 0 } as GlanceTold;

function watched() {
    const heard: (string | null)[] = [];
    let changes = 0;
    const glance = new Glance(
        () => changes++,
        (_, trouble) => heard.push(trouble),
    );
    return { glance, heard, changes: () => changes };
}

beforeEach(() => {
    asked.length = 0;
    performance.clearMeasures();
});

test('one picture is asked for at a time, and of the wishes made meanwhile only the last counts', async () => {
    const { glance, changes } = watched();
    for (let k = 0; k < 5; k++) glance.ask(wish(k), 0);
    expect(asked).toHaveLength(1);
    asked[0]!.answer([told, new Uint8Array()]);
    await settled();
    expect(asked).toHaveLength(2);
    expect(asked[1]!.request).toMatchObject({ inking: { lift: { reach: 4 } } });
    expect(glance.wish).toEqual(wish(0));
    asked[1]!.answer([told, new Uint8Array()]);
    await settled();
    expect(glance.wish).toEqual(wish(4));
    expect(changes()).toBe(2);
    expect(asked).toHaveLength(2);
});

test('the same wish is not asked for again, another one is', async () => {
    const { glance } = watched();
    glance.ask(wish(1), 0);
    asked[0]!.answer([told, new Uint8Array()]);
    await settled();
    glance.ask(wish(1), 0);
    expect(asked).toHaveLength(1);
    glance.ask(wish(1, true), 0);
    expect(asked).toHaveLength(2);
});

test('what was refused is told in its own words, and the next picture comes all the same', async () => {
    const { Refused } = await import('../src/lib/api');
    const { glance, heard } = watched();
    glance.ask(wish(1), 0);
    asked[0]!.fail(new (Refused as unknown as new () => Error)());
    await settled();
    expect(heard).toEqual(['the points are out of their range']);
    expect(glance.told).toBeNull();
    glance.ask(wish(2), 0);
    asked[1]!.fail(new TypeError('the line is dead'));
    await settled();
    expect(heard[1]).toBe('the preview could not be made');
    glance.ask(wish(3), 0);
    asked[2]!.answer([told, new Uint8Array()]);
    await settled();
    expect(heard[2]).toBeNull();
    expect(glance.told).toBe(told);
});

test('how long a picture took is measured from when its slider moved, the full result apart', async () => {
    const { glance } = watched();
    const count = (name: string) => performance.getEntriesByName(name).length;
    glance.ask(wish(1), performance.now());
    asked[0]!.answer([told, new Uint8Array()]);
    await settled();
    expect([count('slider to picture'), count('full result')]).toEqual([1, 0]);
    glance.ask(wish(1, true), performance.now());
    asked[1]!.answer([told, new Uint8Array()]);
    await settled();
    // A picture that no slider asked for is not measured.
    glance.ask(wish(2), 0);
    asked[2]!.answer([told, new Uint8Array()]);
    await settled();
    expect([count('slider to picture'), count('full result')]).toEqual([1, 1]);
});

test('what is seen is asked for in whole runs of its pixels, on the sheet alone', () => {
    fc.assert(
        fc.property(
            fc.tuple(fc.nat(4800), fc.nat(3600), fc.double({ min: 0.05, max: 8, noNaN: true })),
            fc.constantFrom(0, 0.25),
            ([x, y, scale], more) => {
                const camera = new Camera();
                Object.assign(camera, { x, y, scale, width: 900, height: 600 });
                const level = levelAt(scale);
                const w = windowSeen(camera, { width: 4800, height: 3600 }, level, more);
                const k = 64 << level;
                expect([w.x % k, w.y % k]).toEqual([0, 0]);
                expect(w.width % k === 0 || w.x + w.width === 4800).toBe(true);
                expect(w.x + w.width <= 4800 && w.y + w.height <= 3600).toBe(true);
                const [left, top, right, low] = camera.box();
                expect(w.x <= Math.max(0, left) && w.y <= Math.max(0, top)).toBe(true);
                expect(w.x + w.width >= Math.min(4800, right) && w.y + w.height >= Math.min(3600, low)).toBe(true);
                // No more than a run beyond what was asked for.
                expect(w.x).toBeGreaterThan(left - (more * 900) / scale - k - 1);
            },
        ),
    );
});
