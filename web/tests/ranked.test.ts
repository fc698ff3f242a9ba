import fc from 'fast-check';
import { expect, test } from 'vitest';
import { Ranked } from '../src/lib/state/ranked';
import { finding, KINDS, some } from './made';

const named = (from: number) => (k: number) => finding(`f${from + k}`);

test('a list that is kept up is the one that would be made anew, whether few change or many', () => {
    for (const most of [12, 160]) {
        fc.assert(
            fc.property(some(named(0), most), some(named(1000), most), fc.nat(), (before, came, seed) => {
                const gone = before.filter((_, i) => (i * 7919 + seed) % 3 === 0);
                const stays = before.filter((f) => !gone.includes(f));
                const kept = Ranked.of(before).with(gone, came);
                expect(kept.of(KINDS)).toEqual(Ranked.of([...stays, ...came]).of(KINDS));
            }),
            { numRuns: most > 100 ? 30 : 100 },
        );
    }
});

test('nothing changed is the same list, so that nothing that shows it is drawn again', () => {
    const list = Ranked.of([]);
    expect(list.with([], [])).toBe(list);
});

test('what does most harm goes first, whatever its kind', () => {
    fc.assert(
        fc.property(some(named(0), 60), (findings) => {
            const ranked = Ranked.of(findings);
            const all = ranked.of(KINDS);
            expect(all).toHaveLength(findings.length);
            for (const [i, f] of all.entries()) {
                const next = all[i + 1];
                if (next) expect(f.harm).toBeGreaterThanOrEqual(next.harm);
            }
            for (const kind of KINDS) expect(ranked.of([kind])).toEqual(all.filter((f) => f.kind === kind));
            expect(ranked.of([])).toEqual([]);
        }),
    );
});
