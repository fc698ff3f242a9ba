import fc from 'fast-check';
import { beforeEach, expect, test, vi } from 'vitest';
import type { Command } from '../src/lib/types/Command';
import type { DrawingView } from '../src/lib/types/DrawingView';
import { box } from './made';
import { settled } from './page';

const server = vi.hoisted(() => ({
    steps: [] as {
        id: number;
        revision: number;
        command: unknown;
        answer: (v: unknown) => void;
        fail: (e: unknown) => void;
    }[],
    drawings: new Map<number, unknown>(),
    away: false,
    /** The revisions since which it was asked what others did, and how that is answered, if not with all. */
    asked: [] as number[],
    since: null as (() => Promise<unknown>) | null,
}));

vi.mock('../src/lib/api', () => {
    class Refused extends Error {
        constructor(
            readonly status: number,
            readonly told: { error: string; advice: string; revision: number | null },
        ) {
            super(told.error);
        }
    }
    return {
        Refused,
        drawing: (id: number) =>
            server.away
                ? Promise.reject(new TypeError('nobody answers'))
                : Promise.resolve(structuredClone(server.drawings.get(id))),
        since: (id: number, revision: number) => {
            server.asked.push(revision);
            if (server.away) return Promise.reject(new TypeError('nobody answers'));
            const whole = { told: 'whole', ...structuredClone(server.drawings.get(id) as object) };
            return server.since?.() ?? Promise.resolve(whole);
        },
        command: (id: number, revision: number, _: number, command: unknown) =>
            new Promise((answer, fail) => server.steps.push({ id, revision, command, answer, fail })),
    };
});

const { sheet } = await import('../src/lib/state/sheet.svelte');
const { notices } = await import('../src/lib/state/notices.svelte');

const view = (id: number, revision: number) =>
    ({
        info: { id, revision },
        numbering: 1,
        recipes: { intake: { quarter_turns: 0 } },
        lines: [],
        regions: [],
        findings: [],
    }) as unknown as DrawingView;

/** What the server answers to a step that changed nothing but ink. */
const patch = (id: number, revision: number, inked: number[][] = []) => {
    const none = { lines_gone: [], lines: [], regions_gone: [], regions: [], findings_gone: [], findings: [] };
    return { told: 'patch', frame: view(id, revision), ...none, refilled: [], inked };
};

const step = (k: number) => ({ of: 'join', do: 'remove', line: k }) as Command;

beforeEach(async () => {
    server.steps.length = 0;
    server.away = false;
    server.asked.length = 0;
    server.since = null;
    notices.list = [];
    server.drawings.set(1, view(1, 10)).set(2, view(2, 30));
    await sheet.open(1);
    sheet.takeChanged();
});

test('steps go one after the other, each on the revision that the one before left', async () => {
    const done = [sheet.do(step(1)), sheet.do(step(2))];
    await settled();
    expect(server.steps.map((s) => s.revision)).toEqual([10]);
    expect(sheet.busy).toBe(true);
    server.steps[0]!.answer(patch(1, 11));
    await settled();
    expect(server.steps.map((s) => s.revision)).toEqual([10, 11]);
    server.steps[1]!.answer(patch(1, 12));
    expect(await Promise.all(done)).toEqual([true, true]);
    expect([sheet.view?.info.revision, sheet.busy]).toEqual([12, false]);
});

test('a stale step is told, and the drawing is shown as it is now', async () => {
    const { Refused } = await import('../src/lib/api');
    const told = { error: 'somebody changed it', advice: 'Look again.', revision: 19 };
    const done = sheet.do(step(1));
    await settled();
    server.drawings.set(1, view(1, 19));
    server.steps[0]!.fail(new Refused(409, told));
    expect(await done).toBe(false);
    expect(sheet.view?.info.revision).toBe(19);
    expect(notices.list.map((n) => [n.title, n.advice])).toEqual([['Somebody changed it.', 'Look again.']]);
    expect(sheet.takeChanged()).toBe('all');
});

test('a step that failed otherwise leaves what is shown, and the next one goes', async () => {
    const first = sheet.do(step(1));
    const next = sheet.do(step(2));
    await settled();
    server.steps[0]!.fail(new TypeError('the line is dead'));
    await settled();
    expect(server.steps.map((s) => s.revision)).toEqual([10, 10]);
    server.steps[1]!.answer(patch(1, 11));
    expect(await Promise.all([first, next])).toEqual([false, true]);
});

test('the answer to a step on a drawing that was left is not laid on another', async () => {
    const done = sheet.do(step(1));
    await settled();
    await sheet.open(2);
    server.steps[0]!.answer(patch(1, 11, [[0, 0, 5, 5]]));
    await done;
    expect([sheet.view?.info.id, sheet.view?.info.revision]).toEqual([2, 30]);
});

test('steps that waited are done on the drawing they were made on, whichever lies there by then', async () => {
    const done = [sheet.do(step(1)), sheet.do(step(2)), sheet.do(step(3))];
    await settled();
    await sheet.open(2);
    server.steps[0]!.answer(patch(1, 11));
    await settled();
    server.steps[1]!.answer({ told: 'whole', ...view(1, 12) });
    await settled();
    server.steps[2]!.answer(patch(1, 13));
    expect(await Promise.all(done)).toEqual([true, true, true]);
    expect(server.steps.map((s) => [s.id, s.revision])).toEqual([
        [1, 10],
        [1, 11],
        [1, 12],
    ]);
    expect([sheet.view?.info.id, sheet.view?.info.revision]).toEqual([2, 30]);
});

test('coming back to a drawing waits for its own steps that are on their way', async () => {
    const done = sheet.do(step(1));
    await settled();
    await sheet.open(2);
    const back = sheet.open(1);
    await settled();
    expect(sheet.view?.info.id).toBe(2);
    server.drawings.set(1, view(1, 11));
    server.steps[0]!.answer(patch(1, 11));
    await Promise.all([done, back]);
    expect([sheet.view?.info.id, sheet.view?.info.revision]).toEqual([1, 11]);
});

test('when a conflict cannot be shown because nobody answers, the next step goes all the same', async () => {
    const { Refused } = await import('../src/lib/api');
    const done = [sheet.do(step(1)), sheet.do(step(2))];
    await settled();
    server.away = true;
    server.steps[0]!.fail(new Refused(409, { error: 'somebody changed it', advice: '', revision: 19 }));
    await settled();
    expect(server.steps).toHaveLength(2);
    server.steps[1]!.answer(patch(1, 11));
    expect(await Promise.all(done)).toEqual([false, true]);
    expect(sheet.busy).toBe(false);
});

test('what others did while a step was on its way is shown once it is answered', async () => {
    const done = sheet.do(step(1));
    await settled();
    sheet.hear(1, 12);
    sheet.hear(2, 99);
    server.drawings.set(1, view(1, 12));
    server.steps[0]!.answer(patch(1, 11));
    await done;
    await settled();
    expect(sheet.view?.info.revision).toBe(12);
});

test('what others did is asked for until it is there', async () => {
    vi.useFakeTimers();
    try {
        server.away = true;
        sheet.hear(1, 12);
        await vi.advanceTimersByTimeAsync(2500);
        expect(sheet.view?.info.revision).toBe(10);
        server.away = false;
        server.drawings.set(1, view(1, 12));
        await vi.advanceTimersByTimeAsync(2500);
        expect(sheet.view?.info.revision).toBe(12);
    } finally {
        vi.useRealTimers();
    }
});

test('of what others did only the patch is taken over, and none that a step told already', async () => {
    const answers: ((told: unknown) => void)[] = [];
    server.since = () => new Promise((answer) => answers.push(answer));
    sheet.hear(1, 11);
    await settled();
    expect(server.asked).toEqual([10]);
    answers[0]!(patch(1, 11, [[1, 2, 3, 4]]));
    await settled();
    expect([sheet.view?.info.revision, sheet.takeChanged()]).toEqual([11, [1, 2, 3, 4]]);
    // While it is asked, a step of one's own is answered with all up to there.
    sheet.hear(1, 12);
    const done = sheet.do(step(1));
    await settled();
    server.steps[0]!.answer(patch(1, 13));
    await done;
    answers[1]!(patch(1, 12, [[5, 6, 7, 8]]));
    await settled();
    expect([sheet.view?.info.revision, sheet.takeChanged()]).toEqual([13, null]);
    expect(server.asked).toEqual([10, 11]);
});

test('a refused step is not told as saved', async () => {
    const done = sheet.do(step(1));
    await settled();
    server.steps[0]!.fail(new TypeError('no'));
    await done;
    expect(sheet.refused).toBe(true);
    const next = sheet.do(step(2));
    await settled();
    server.steps[1]!.answer(patch(1, 11));
    await next;
    expect(sheet.refused).toBe(false);
});

test('the drawing that was asked for last is shown, whichever comes first', async () => {
    await Promise.all([sheet.open(2), sheet.open(1)]);
    expect(sheet.view?.info.id).toBe(1);
    expect(sheet.loading).toBe(false);
});

test('the ink of a part is as new as the last step that touched it', async () => {
    const overlaps = (a: number[], b: number[]) => a[0]! < b[2]! && a[2]! > b[0]! && a[1]! < b[3]! && a[3]! > b[1]!;
    await fc.assert(
        fc.asyncProperty(
            fc.array(fc.array(box, { maxLength: 3 }), { minLength: 1, maxLength: 6 }),
            box,
            async (steps, asked) => {
                server.steps.length = 0;
                server.drawings.set(1, view(1, 10));
                await sheet.open(1);
                for (const [k, inked] of steps.entries()) {
                    const done = sheet.do(step(k));
                    await settled();
                    server.steps[k]!.answer(patch(1, 11 + k, inked));
                    await done;
                }
                const last = steps.findLastIndex((inked) => inked.some((b) => overlaps(b, asked)));
                const [x, y, right, low] = asked;
                const version = sheet.inkVersion({ x, y, width: right - x, height: low - y, level: 0 });
                expect(version).toBe(last < 0 ? 10 : 11 + last);
            },
        ),
        { numRuns: 40 },
    );
});

test('what changed is told once, all of it as long as the drawing was never drawn', async () => {
    const done = sheet.do(step(1));
    await settled();
    server.steps[0]!.answer(patch(1, 11, [[3, 4, 8, 9]]));
    await done;
    expect(sheet.takeChanged()).toEqual([3, 4, 8, 9]);
    expect(sheet.takeChanged()).toBeNull();
    await sheet.open(1);
    expect(sheet.takeChanged()).toBe('all');
});

test('with nothing to undo nothing is asked for', async () => {
    sheet.view = { ...sheet.view!, undo: null, redo: null };
    expect(await Promise.all([sheet.undo(), sheet.redo()])).toEqual([false, false]);
    expect(notices.list.map((n) => n.title)).toEqual(['Nothing to undo', 'Nothing to do again']);
});
