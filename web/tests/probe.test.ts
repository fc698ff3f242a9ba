import { beforeEach, expect, test, vi } from 'vitest';
import { settled } from './page';

const asked = vi.hoisted(
    () => [] as { path: number[][]; answer: (told: unknown) => void; fail: (e: unknown) => void }[],
);
vi.mock('../src/lib/api', () => ({
    Refused: class extends Error {},
    landing: (_: number, path: number[][]) => new Promise((answer, fail) => asked.push({ path, answer, fail })),
}));
const { probe } = await import('../src/lib/state/probe.svelte');
const { sheet } = await import('../src/lib/state/sheet.svelte');

const stroke = (n: number) => Array.from({ length: n }, (_, k): [number, number] => [k * 5, 0]);

beforeEach(() => {
    asked.length = 0;
    sheet.view = { info: { id: 1, revision: 3 } } as never;
    probe.clear();
});

test('where a seam would land is asked one by one, and the last of them is shown', async () => {
    const done = probe.land(stroke(3));
    for (let n = 4; n < 9; n++) void probe.land(stroke(n));
    expect(asked.map((a) => a.path.length)).toEqual([3]);
    asked[0]!.answer({ path: 'first' });
    await settled();
    // Those between are passed over, the last one is not.
    expect(asked.map((a) => a.path.length)).toEqual([3, 8]);
    asked[1]!.answer({ path: 'last' });
    await done;
    expect(probe.landing).toEqual({ path: 'last' });
});

test('a question that fails does not end the asking', async () => {
    const done = probe.land(stroke(3));
    void probe.land(stroke(5));
    asked[0]!.fail(new Error('nobody answers'));
    await settled();
    asked[1]!.answer({ path: 'there' });
    await done;
    expect(probe.landing).toEqual({ path: 'there' });
    void probe.land(stroke(6));
    expect(asked).toHaveLength(3);
});
