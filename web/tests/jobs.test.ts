import { expect, test } from 'vitest';
import { rows } from '../src/lib/state/jobs.svelte';
import type { JobInfo } from '../src/lib/types/JobInfo';

const job = (id: number, more: Partial<JobInfo> = {}): JobInfo => ({
    id,
    what: 'Carry on what was settled',
    state: 'running',
    all: 3,
    done: 1,
    working: 1,
    told: [],
    files: 0,
    steps: 0,
    ...more,
});

test('jobs of one kind are one row while they run, and when they left nothing', () => {
    const told = ['A-03: it is painted like that already'];
    const made = rows([
        job(9),
        job(8, { what: 'Lift the shot' }),
        job(7, { all: 2 }),
        job(6, { state: 'done', done: 3, told }),
        job(5, { state: 'done', done: 3, told }),
    ]);
    expect(made.map((r) => [r.jobs, r.done, r.all, r.told])).toEqual([
        [[9, 7], 2, 5, []],
        [[8], 1, 3, []],
        [[6, 5], 6, 6, told],
    ]);
});

test('what can be undone or taken stands by itself', () => {
    const over = { state: 'done', done: 3 } as const;
    const made = rows([
        job(4, { ...over, steps: 2 }),
        job(3, { ...over, steps: 1 }),
        job(2, { ...over, files: 5 }),
        job(1, over),
    ]);
    expect(made.map((r) => r.jobs)).toEqual([[4], [3], [2], [1]]);
});
