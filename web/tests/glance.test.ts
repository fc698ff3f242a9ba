import { beforeEach, expect, test, vi } from 'vitest';
import { Glance, type Wish } from '../src/lib/canvas/glance';
import type { GlanceTold } from '../src/lib/types/GlanceTold';

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

globalThis.requestAnimationFrame = (call) => {
    call(0);
    return 0;
};

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
const settled = () => new Promise((r) => setTimeout(r, 0));

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
