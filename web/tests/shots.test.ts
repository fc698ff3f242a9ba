import { beforeEach, expect, test, vi } from 'vitest';
import type { ProductionInfo } from '../src/lib/types/ProductionInfo';
import { settled } from './page';

const server = vi.hoisted(() => ({
    productions: [] as unknown[],
    uploads: [] as string[],
    bad: '',
    loads: 0,
    heard: null as ((event: unknown) => void) | null,
    back: null as (() => void) | null,
    refuses: false,
    /** Lists are answered when they are let go. */
    held: null as (() => void)[] | null,
    stopped: 0,
}));

vi.mock('../src/lib/api', () => {
    class Refused extends Error {
        told = { error: 'the file is cut off', advice: 'Scan it again', revision: null };
    }
    return {
        Refused,
        productions: () => {
            server.loads++;
            const now = structuredClone(server.productions);
            const { held } = server;
            return held ? new Promise((come) => held.push(() => come(now))) : Promise.resolve(now);
        },
        jobs: () => Promise.resolve([]),
        upload: (_: number, file: { name: string }, progress: (share: number) => void) => {
            server.uploads.push(file.name);
            progress(1);
            return file.name === server.bad
                ? Promise.reject(new Refused())
                : Promise.resolve({ id: 1, notes: [`${file.name} is short`] });
        },
        setColours: () => (server.refuses ? Promise.reject(new Refused()) : Promise.resolve(1)),
        listen: (_: number, heard: (event: unknown) => void, back: () => void) => {
            Object.assign(server, { heard, back });
            return () => server.stopped++;
        },
    };
});

const { shots } = await import('../src/lib/state/shots.svelte');
const { sheet } = await import('../src/lib/state/sheet.svelte');

/** The database of a test: its drawings are not those of another. */
let database = 0;
const drawing = (id: number, revision = 1) => ({ id, key: `${database} ${id}`, revision, name: `A-${id}` });
const shot = (id: number, drawings: object[]) => ({
    id,
    revision: 0,
    tones: [],
    swatches: [{ id: 'shell', name: 'Shell', colour: [90, 80, 10], group: '', tones: {}, note: '' }],
    drawings,
});
const caughtUp = vi.spyOn(sheet, 'catchUp').mockImplementation(() => Promise.resolve());

beforeEach(async () => {
    database++;
    server.productions = [
        { id: 1, shots: [shot(1, [drawing(1), drawing(2)]), shot(2, [])] },
        { id: 2, shots: [shot(3, [drawing(3)])] },
    ];
    Object.assign(server, { uploads: [], bad: '', heard: null, back: null, refuses: false, held: null });
    sheet.view = null;
    await shots.load();
    shots.current = 1;
    caughtUp.mockClear();
    server.loads = 0;
});

const file = (name: string) => ({ name }) as unknown as File;

test('files come in by the numbers in their names, and one that is bad does not stop the others', async () => {
    server.bad = 'A-9.png';
    await shots.bringIn(['A-10.png', 'A-9.png', 'A-1.png', 'A-02.png'].map(file));
    expect(server.uploads).toEqual(['A-1.png', 'A-02.png', 'A-9.png', 'A-10.png']);
    expect(shots.incoming.map((f) => f.state)).toEqual(['done', 'done', 'failed', 'done']);
    expect(shots.incoming[2]?.trouble).toBe('the file is cut off. Scan it again');
    // What of a file is missing is told beside it.
    expect(shots.incoming.map((f) => f.notes)).toEqual([
        ['A-1.png is short'],
        ['A-02.png is short'],
        [],
        ['A-10.png is short'],
    ]);
    expect(server.loads).toBe(1);
});

test('the shot that is looked at, its production and its colours', () => {
    shots.current = 3;
    expect([shots.shot?.id, shots.production?.id]).toEqual([3, 2]);
    expect(shots.colours.get('shell')).toBe('rgb(90,80,10)');
    // One that is no more: the first.
    shots.current = 99;
    expect([shots.shot?.id, shots.production?.id]).toEqual([1, 1]);
});

test('what a step says about its drawing is taken over where it hangs', () => {
    const info = { ...drawing(2, 7), name: 'A-2b' } as unknown as ProductionInfo['shots'][number]['drawings'][number];
    shots.note(info);
    expect(shots.shot?.drawings.map((d) => [d.id, d.revision])).toEqual([
        [1, 1],
        [2, 7],
    ]);
});

test('somebody elses step on the drawing on the bench is caught up with, ones own is not', async () => {
    shots.current = null;
    shots.look(1);
    sheet.view = { info: { id: 1, revision: 4 } } as never;
    const progress = { lifted: true, join_open: 0, paint_open: 2, beyond: 0 };
    const heard = (id: number, revision: number) =>
        server.heard!({ what: 'drawing', id, revision, progress, by: 'ida' });
    heard(1, 4);
    expect(caughtUp).not.toHaveBeenCalled();
    expect(server.loads).toBe(0);
    heard(1, 5);
    expect(caughtUp).toHaveBeenCalledTimes(1);
    // Of another drawing only the peg bar tells, and nothing need be asked for.
    heard(2, 9);
    expect(caughtUp).toHaveBeenCalledTimes(1);
    expect(server.loads).toBe(0);
    const listed = () => {
        const d = shots.listed(2);
        return [d?.revision, d?.progress.paint_open, d?.ready, d?.changed_by];
    };
    expect(listed()).toEqual([9, 2, false, 'ida']);
    // A list that was asked for before does not undo it; a drawing that is not listed is asked for.
    await shots.load();
    expect(listed()).toEqual([9, 2, false, 'ida']);
    heard(77, 1);
    expect(server.loads).toBe(2);
});

test('work in the background that changed the drawing on the bench is caught up with', async () => {
    shots.current = null;
    shots.look(1);
    sheet.view = { info: { id: 1, revision: 1 } } as never;
    server.heard!({ what: 'jobs' });
    await settled();
    expect(caughtUp).not.toHaveBeenCalled();
    server.productions = [{ id: 1, shots: [shot(1, [drawing(1, 2)])] }];
    server.heard!({ what: 'jobs' });
    await settled();
    expect(caughtUp).toHaveBeenCalledTimes(1);
});

test('of another shot that is looked at the events are heard, and those of the one before no more', () => {
    shots.look(1);
    const before = server.stopped;
    shots.look(1);
    expect(server.stopped).toBe(before);
    shots.look(2);
    expect([server.stopped, shots.current]).toEqual([before + 1, 2]);
});

test('after an absence of the server everything is read again', async () => {
    shots.current = null;
    shots.look(1);
    sheet.view = { info: { id: 1, revision: 1 } } as never;
    server.productions = [{ id: 1, shots: [shot(1, [drawing(1, 6)])] }];
    server.back!();
    await settled();
    expect(shots.shot?.drawings[0]?.revision).toBe(6);
    expect(caughtUp).toHaveBeenCalledTimes(1);
});

test('an older list does not overwrite a newer one, nor what a step said since it was asked for', async () => {
    const held: (() => void)[] = [];
    server.held = held;
    const first = shots.load();
    server.productions = [{ id: 1, shots: [shot(1, [drawing(1, 9)])] }];
    const second = shots.load();
    held[1]!();
    held[0]!();
    await Promise.all([first, second]);
    expect(shots.shot?.drawings[0]?.revision).toBe(9);
    const third = shots.load();
    shots.note({ ...drawing(1, 10) } as never);
    held[2]!();
    await third;
    expect(shots.shot?.drawings[0]?.revision).toBe(10);
});

test('whether swatches were taken is told', async () => {
    expect(await shots.setColours((model) => model)).toBe(true);
    server.refuses = true;
    expect(await shots.setColours((model) => model)).toBe(false);
});
