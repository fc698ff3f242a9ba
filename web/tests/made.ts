/** Things of a drawing as the server would tell them, made up by fast-check. */
import fc from 'fast-check';
import type { Finding } from '../src/lib/types/Finding';
import type { Kind } from '../src/lib/types/Kind';
import type { LineView } from '../src/lib/types/LineView';
import type { RegionView } from '../src/lib/types/RegionView';

export const KINDS: Kind[] = ['gap', 'tail', 'leak', 'loose_end', 'sliver', 'unpainted', 'two_paints'];

const SIDE = 1000;
const number = fc.integer({ min: 0, max: SIDE });
const place = fc.tuple(number, number);
export const box = fc
    .tuple(place, place)
    .map(([[a, b], [c, d]]): [number, number, number, number] => [
        Math.min(a, c),
        Math.min(b, d),
        Math.max(a, c),
        Math.max(b, d),
    ]);

export const finding = (name: string): fc.Arbitrary<Finding> =>
    fc.record({
        id: fc.constant(name),
        kind: fc.constantFrom(...KINDS),
        at: place,
        to: fc.option(place),
        path: fc.array(place, { maxLength: 4 }),
        size: number,
        // Few of them, so that many are equal.
        confidence: fc.constantFrom(0.2, 0.5, 0.9),
        sure: fc.boolean(),
        quiet: fc.boolean(),
        harm: fc.constantFrom(0.5, 1, 3.5, 4.25),
        left: fc.boolean(),
        parts: fc.constant(null),
        region: fc.constant(null),
    }) as fc.Arbitrary<Finding>;

export const region = (id: number): fc.Arbitrary<RegionView> =>
    fc.record({
        id: fc.constant(id),
        path: fc.constant('M0 0'),
        area: number,
        seed: place,
        bounds: box,
        swatch: fc.option(fc.constantFrom('skin', 'shell')),
    }) as fc.Arbitrary<RegionView>;

export const line = (id: number): fc.Arbitrary<LineView> =>
    fc.record({
        id: fc.constant(id),
        path: fc.constant('M0 0'),
        bounds: box,
    }) as unknown as fc.Arbitrary<LineView>;

/** A list of things with names of their own out of so many. */
export function some<T>(make: (k: number) => fc.Arbitrary<T>, most: number): fc.Arbitrary<T[]> {
    return fc
        .subarray([...Array(most).keys()])
        .chain((names) => fc.tuple(...names.map(make)) as unknown as fc.Arbitrary<T[]>);
}
