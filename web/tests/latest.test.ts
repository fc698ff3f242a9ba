import fc from 'fast-check';
import { expect, test } from 'vitest';
import { Latest } from '../src/lib/api/latest';

test('whatever the order of the answers, none is taken after a later one', async () => {
    await fc.assert(
        fc.asyncProperty(fc.shuffledSubarray([0, 1, 2, 3, 4, 5], { minLength: 6 }), async (order) => {
            const latest = new Latest();
            const taken: number[] = [];
            const come: (() => void)[] = [];
            const all = [0, 1, 2, 3, 4, 5].map(async (k) => {
                const told = await latest.ask(() => new Promise<number>((done) => come.push(() => done(k))));
                if (told) taken.push(told.told);
            });
            for (const k of order) {
                come[k]!();
                await new Promise((done) => setTimeout(done, 0));
            }
            await Promise.all(all);
            expect(taken).toEqual([...taken].sort((a, b) => a - b));
            expect(taken.at(-1)).toBe(5);
        }),
        { numRuns: 20 },
    );
});

test('what was asked before something else was told counts no more', async () => {
    const latest = new Latest();
    const asked = latest.ask(() => Promise.resolve('old'));
    latest.forget();
    expect(await asked).toBeNull();
    expect(await latest.ask(() => Promise.resolve('new'))).toEqual({ told: 'new' });
});
