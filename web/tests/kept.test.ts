import fc from 'fast-check';
import { expect, test } from 'vitest';
import { Kept } from '../src/lib/geometry/kept';
import { box, line, some } from './made';

const byName = (a: { id: number }, b: { id: number }) => a.id - b.id;

test('what is kept through changes is what a plain list would hold, by name and by place', () => {
    const steps = fc.array(fc.tuple(fc.subarray([...Array(30).keys()]), some(line, 30)), { maxLength: 6 });
    fc.assert(
        fc.property(some(line, 30), steps, box, fc.nat(60), (first, changes, where, margin) => {
            const kept = new Kept(
                first,
                (l) => l.id,
                (l) => l.bounds,
            );
            const plain = new Map(first.map((l) => [l.id, l]));
            for (const [gone, came] of changes) {
                const out = kept.change(gone, came);
                const names = [...new Set([...gone, ...came.map((l) => l.id)])];
                const expected = names.map((id) => plain.get(id)).filter((l) => l !== undefined);
                expect(out.toSorted(byName)).toEqual(expected.toSorted(byName));
                for (const id of gone) plain.delete(id);
                for (const l of came) plain.set(l.id, l);
            }
            expect(kept.size).toBe(plain.size);
            expect([...kept.all()].toSorted(byName)).toEqual([...plain.values()].toSorted(byName));
            for (let id = 0; id < 30; id++) expect(kept.get(id)).toBe(plain.get(id));
            const [left, top, right, low] = where;
            const reaches = [...plain.values()].filter(
                ({ bounds: [a, b, c, d] }) =>
                    a <= right + margin && c >= left - margin && b <= low + margin && d >= top - margin,
            );
            expect(kept.within(where, margin).toSorted(byName)).toEqual(reaches.toSorted(byName));
            expect(kept.count((l) => l.id % 3 === 0)).toBe([...plain.keys()].filter((id) => id % 3 === 0).length);
        }),
    );
});

test('one that comes again under its name takes the place of the old one', () => {
    const at = (x: number) => ({ id: 7, bounds: [x, 0, x + 1, 1] as [number, number, number, number] });
    const kept = new Kept(
        [at(0)],
        (l) => l.id,
        (l) => l.bounds,
    );
    expect(kept.change([], [at(500)])).toEqual([at(0)]);
    expect(kept.within([0, 0, 10, 10])).toEqual([]);
    expect(kept.within([499, 0, 510, 10])).toEqual([at(500)]);
    // Names that are not there are passed over.
    expect(kept.change([99], [])).toEqual([]);
    expect(kept.size).toBe(1);
});
