import './page';
import { expect, test, vi } from 'vitest';
import type { DrawingInfo } from '../src/lib/types/DrawingInfo';

vi.mock('../src/lib/api/still', () => ({
    still: () => Promise.resolve({ facts: { width: 8, height: 6, dpi: 300, level: 0, ink: 1 }, ink: 1, paint: 2 }),
}));

const { play, drawingAt } = await import('../src/lib/state/play.svelte');
const { lightTable } = await import('../src/lib/state/lightTable.svelte');
const { initials } = await import('../src/lib/state/people.svelte');
const { sheet } = await import('../src/lib/state/sheet.svelte');
const { shots } = await import('../src/lib/state/shots.svelte');
const { ago, isListed, table } = await import('../src/lib/state/table.svelte');

const progress = {
    lifted: true,
    join_open: 0,
    paint_open: 0,
    regions: 4,
    beyond: 0,
    painted: 4,
    carried: 0,
    doubtful: 0,
    used: {},
    settled: 0,
    open: {},
    sure: 0,
};

function drawing(id: number, hold = 1, more: Partial<typeof progress> = {}, changed_at = 0): DrawingInfo {
    const name = `A-${id}`;
    const info = { id, key: `k${id}`, name, revision: 1, handed_off: false, changed_since: false, hold, ready: true };
    return { ...info, progress: { ...progress, ...more }, changed_at, changed_by: '' };
}

function hang(...drawings: DrawingInfo[]) {
    const shot = { id: 1, number: '1', name: '', revision: 1, tones: [], swatches: [], drawings };
    shots.productions = [{ id: 1, name: '', shots: [shot] }];
}

test('a drawing is seen for as many frames as it is held', () => {
    const all = [drawing(1, 2), drawing(2), drawing(3, 3)];
    expect([0, 1, 2, 3, 4, 5].map((f) => drawingAt(all, f)?.id)).toEqual([1, 1, 2, 3, 3, 3]);
    expect(drawingAt(all, 6)).toBeNull();
});

test('no frame is left out, and a rate that is not kept is told', async () => {
    const frames: ((at: number) => void)[] = [];
    vi.stubGlobal('requestAnimationFrame', (call: (at: number) => void) => frames.push(call));
    vi.stubGlobal('createImageBitmap', () => Promise.resolve({ width: 8, height: 6, close: () => {} }));
    let now = 1000;
    vi.spyOn(performance, 'now').mockImplementation(() => now);
    hang(drawing(1, 2), drawing(2), drawing(3));
    play.setRate(24);
    await play.begin(2);
    expect([play.running, play.fetched, play.frame]).toEqual([true, 3, 2]);
    const seen: number[] = [];
    /** The screen shows a frame after so many ms. */
    const tick = (ms: number) => {
        now += ms;
        frames.splice(0).forEach((call) => call(now));
        if (seen[seen.length - 1] !== play.frame) seen.push(play.frame);
    };
    for (let k = 0; k < 60; k++) tick(1000 / 60);
    expect(seen.slice(0, 7)).toEqual([2, 3, 0, 1, 2, 3, 0]);
    expect(play.kept).toBeGreaterThan(23);
    // A screen that takes 100 ms for each: all are seen, at 10 a second.
    seen.length = 0;
    for (let k = 0; k < 40; k++) tick(100);
    expect(seen.every((f, k) => k === 0 || f === (seen[k - 1]! + 1) % 4)).toBe(true);
    expect(play.kept).toBeCloseTo(10, 1);
    play.stop();
    expect(play.drawing).toBeNull();
    vi.restoreAllMocks();
    vi.unstubAllGlobals();
});

test('on the light table lie as many on each side as there are, the nearest on top and strongest', () => {
    hang(drawing(1), drawing(2), drawing(3), drawing(4));
    sheet.view = { info: drawing(2) } as never;
    lightTable.set({ on: true, before: 2, behind: 2, strength: 0.6 });
    expect(lightTable.neighbours.map((n) => [n.drawing.id, n.side, n.off])).toEqual([
        [4, 'behind', 2],
        [1, 'before', 1],
        [3, 'behind', 1],
    ]);
    expect([1, 2].map((off) => lightTable.strength(off))).toEqual([0.6, 0.3]);
    lightTable.flipTo(1);
    expect(lightTable.flipped?.id).toBe(3);
    lightTable.toggle();
    expect(lightTable.neighbours).toEqual([]);
});

test('the table lists what is asked for', () => {
    const now = Date.now();
    const open = drawing(1, 1, { join_open: 2, open: { gap: 2 } }, now - 5 * 60_000);
    const bare = drawing(2, 1, { lifted: false, painted: 0 }, now - 50 * 3_600_000);
    hang(open, bare, drawing(3, 1, { paint_open: 3, open: { unpainted: 3 }, painted: 1 }, now));
    expect([open, bare].map((d) => isListed(d, 'gap'))).toEqual([true, false]);
    expect(table.kinds).toEqual([
        ['unpainted', 3],
        ['gap', 2],
    ]);
    table.listed = 'not lifted';
    expect(table.rows.map((d) => d.id)).toEqual([2]);
    table.listed = 'all';
    table.since = 'hour';
    table.by = 'open';
    expect(table.rows.map((d) => d.id)).toEqual([3, 1]);
    expect([open, bare].map((d) => ago(d.changed_at, now))).toEqual(['5 min ago', '2 d ago']);
});

test('somebody is told by the first letters of two names, or one', () => {
    expect(['Ada Byron', 'ida', ' Jo van Dyk ', ''].map(initials)).toEqual(['AB', 'I', 'JD', '·']);
});
