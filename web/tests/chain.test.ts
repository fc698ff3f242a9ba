import { expect, test } from 'vitest';
import { divided, dragged, isSmooth, joined, nearestOn, turned } from '../src/lib/geometry/chain';
import { connected, endsOf, inside } from '../src/lib/geometry/places';
import { isNowhere, moved, NOWHERE, scaled, skewed, turned as turnedBy } from '../src/lib/geometry/affine';
import type { Affine } from '../src/lib/geometry/affine';
import type { Pt } from '../src/lib/types/Pt';

/** Two curves that go on smoothly at [10, 0], the second of which ends in a corner of a third. */
const WAVE: Pt[] = [
    [0, 0],
    [3, 4],
    [7, 3],
    [10, 0],
    [13, -3],
    [17, -3],
    [20, 0],
    [20, 3],
    [20, 7],
    [20, 10],
];

const close = (a: Pt[], b: Pt[]) =>
    expect(
        a.every((p, k) => Math.hypot(p[0] - b[k]![0], p[1] - b[k]![1]) < 1e-9),
        JSON.stringify(a),
    ).toBe(true);

test('a joint takes its handles along, and a smooth one keeps its handles in line', () => {
    const up = dragged(WAVE, 3, [10, 5], false);
    close(up.slice(2, 5), [
        [7, 8],
        [10, 5],
        [13, 2],
    ]);
    close([...up.slice(0, 2), ...up.slice(5)], [...WAVE.slice(0, 2), ...WAVE.slice(5)]);
    const turned = dragged(WAVE, 2, [10, 6], false);
    expect(turned[4]![0]).toBeCloseTo(10);
    expect(turned[4]![1]).toBeCloseTo(-Math.hypot(3, 3));
    close([dragged(WAVE, 2, [10, 6], false, true)[4]!], [WAVE[4]!]);
    // At a corner the other handle stays.
    close([dragged(WAVE, 5, [18, 9], false)[7]!], [WAVE[7]!]);
});

test('a point more leaves the shape, and taking it away again gives the points that were', () => {
    for (const t of [0.2, 0.5, 0.8]) {
        const more = divided(WAVE, 1, t);
        expect(more.length).toBe(WAVE.length + 3);
        expect(nearestOn(WAVE, more[6]!).far).toBeLessThan(0.2);
        expect(isSmooth(more, 6, false)).toBe(true);
        const less = joined(more, 6, false)!;
        const off = less.map((p, k) => Math.hypot(p[0] - WAVE[k]![0], p[1] - WAVE[k]![1]));
        expect(Math.max(...off)).toBeLessThan(1.2);
    }
    expect(joined(WAVE.slice(0, 4), 3, false)).toBe(null);
    close(joined(WAVE, 9, false)!, WAVE.slice(0, -3));
});

test('a joint is smooth or a corner by turns, and the start of a closed line is one, too', () => {
    expect([isSmooth(WAVE, 3, false), isSmooth(WAVE, 6, false), isSmooth(WAVE, 0, false)]).toEqual([
        true,
        false,
        false,
    ]);
    const smooth = turned(WAVE, 6, false);
    expect(isSmooth(smooth, 6, false)).toBe(true);
    expect(isSmooth(turned(smooth, 6, false), 6, false)).toBe(false);
    const ring: Pt[] = [...WAVE, [13, 14], [-3, -4], [0, 0]];
    expect(isSmooth(ring, 0, true)).toBe(true);
    const left = joined(ring, 0, true)!;
    close([left[0]!], [left[left.length - 1]!]);
    close(dragged(ring, 0, [1, 1], true).slice(-1), [[1, 1]]);
});

test('maps keep the place they are about, and lead the others as they say', () => {
    const go = ([a, b, c, d, e, f]: Affine, [x, y]: Pt): Pt => [a * x + b * y + c, d * x + e * y + f];
    for (const m of [turnedBy([5, 7], 1.1), scaled([5, 7], 2, -3), skewed([5, 7], 0.4, 0)])
        close([go(m, [5, 7])], [[5, 7]]);
    close([go(turnedBy([0, 0], Math.PI / 2), [1, 0])], [[0, 1]]);
    close([go(scaled([1, 1], 2, 3), [2, 2])], [[3, 4]]);
    close([go(skewed([0, 0], 0.5, 0), [0, 2])], [[1, 2]]);
    expect([isNowhere(NOWHERE), isNowhere(moved(0.001, 0)), isNowhere(moved(1, 0))]).toEqual([true, true, false]);
});

test('lines are connected where their ink touches, through others, too', () => {
    const line = (x0: number, y0: number, x1: number, y1: number, width = 4) => ({
        path: `M${x0} ${y0}C${x0} ${y0} ${x1} ${y1} ${x1} ${y1}`,
        width,
    });
    const all = [line(0, 0, 100, 0), line(50, -50, 50, 50), line(52, 48, 90, 90), line(0, 20, 30, 20)];
    expect(connected([all[0]!], () => all)).toEqual(all.slice(0, 3));
    expect(endsOf(all[0]!)).toEqual([
        [0, 0],
        [100, 0],
    ]);
    expect(endsOf({ path: 'M0 0C1 1 2 2 0 0Z' })).toBe(null);
    const square: Pt[] = [
        [0, 0],
        [10, 0],
        [10, 10],
        [0, 10],
    ];
    expect([inside([5, 5], square), inside([15, 5], square)]).toEqual([true, false]);
});
