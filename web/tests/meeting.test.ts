import './page';
import fc from 'fast-check';
import { beforeEach, expect, test } from 'vitest';
import { meetingNear } from '../src/lib/drawn/meeting';
import { placesAlong } from '../src/lib/geometry/places';
import { aslant, crossingOf, footOn, gridAt, throughBox } from '../src/lib/geometry/straights';
import { bench } from '../src/lib/state/bench.svelte';
import { chainThrough } from '../src/lib/state/clicked.svelte';
import { guides } from '../src/lib/state/guides.svelte';
import { sheet } from '../src/lib/state/sheet.svelte';
import { snaps } from '../src/lib/state/snaps.svelte';
import type { Shown } from '../src/lib/state/shown';
import type { Pt } from '../src/lib/types/Pt';

/** A level line from 100 to 200, one that rises to the right of it, and a half circle of radius 50 about 400, 400. */
const K = 50 * 0.55228;
const LINES = [
    { kind: 'centreline', path: 'M100 100C130 100 170 100 200 100' },
    { kind: 'centreline', path: 'M300 300C310 280 330 240 340 220' },
    {
        kind: 'centreline',
        path: `M350 400C350 ${400 - K} ${400 - K} 350 400 350C${400 + K} 350 450 ${400 - K} 450 400`,
    },
    { kind: 'outline', path: 'M600 600C610 600 620 600 630 600Z' },
];

beforeEach(() => {
    localStorage.clear();
    guides.clear();
    snaps.set({ ends: true, lines: true, onward: true, level: true, guides: true, grid: true });
    [bench.camera.scale, bench.chart] = [1, 'none'];
    sheet.view = { dpi: 254, lines: { within: () => LINES } } as unknown as Shown;
});

const met = (p: Pt, more = {}) => meetingNear(p, { reach: 9, ...more });

test('an end is met before all else, a line from nearer, and a solid never', () => {
    expect(met([204, 104])).toEqual({ at: [200, 100], of: ['end'], ends: [] });
    expect(met([150, 104])?.of).toEqual(['line']);
    expect(met([150, 104])?.at[1]).toBeCloseTo(100, 6);
    expect(met([150, 107])).toBeNull();
    expect(met([602, 602])).toBeNull();
});

test('what is straight is level and plumb with ends, a free hand is not', () => {
    const corner = met([202, 297], { straight: true });
    expect(corner).toEqual({
        at: [200, 300],
        of: ['plumb', 'level'],
        ends: [
            [200, 100],
            [300, 300],
        ],
    });
    expect(met([202, 297])).toBeNull();
    expect(met([250, 297], { straight: true })?.of).toEqual(['level']);
    snaps.set({ level: false });
    expect(met([202, 297], { straight: true })).toBeNull();
});

test('a line leads on beyond its ends and not back over itself', () => {
    const on = met([250, 103]);
    expect(on).toEqual({ at: [250, 100], of: ['leads on'], ends: [[200, 100]] });
    expect(met([50, 103])?.ends).toEqual([[100, 100]]);
    // A free hand does not aim for what lies far on, nor for where two lead to.
    expect(met([290, 103])).toBeNull();
    expect(met([290, 103], { straight: true })?.of).toContain('leads on');
    const rising = met([359.5, 180.5]);
    expect(rising?.of).toEqual(['leads on']);
    expect(rising!.at[0]! + rising!.at[1]! / 2).toBeCloseTo(450, 5);
});

test('a straight stroke touches a curve where it would not cross it', () => {
    const from: Pt = [250, 330];
    const tangent = met([409, 354], { from, straight: true });
    expect(tangent?.of).toEqual(['tangent']);
    const [u, v] = [tangent!.at[0] - from[0], tangent!.at[1] - from[1]];
    const off = Math.abs(u * (400 - from[1]) - v * (400 - from[0])) / Math.hypot(u, v);
    expect(off).toBeCloseTo(50, 1);
});

test('guides and the grid are caught, and where two of them cross', () => {
    guides.add({ at: [700, 0], angle: Math.PI / 2 });
    guides.add({ at: [0, 500], angle: 0 });
    const cross = met([704, 503]);
    expect(cross?.of).toEqual(['guide', 'guide']);
    expect(cross!.at[0]).toBeCloseTo(700, 9);
    expect(cross!.at[1]).toBeCloseTo(500, 9);
    expect(met([703, 540])?.of).toEqual(['guide']);
    guides.clear();
    expect(met([703, 540])).toBeNull();
    bench.chart = 'grid';
    // A square of 10 mm is 100 px here.
    expect(met([703, 540])).toEqual({ at: [700, 540], of: ['grid'], ends: [] });
    expect(met([598, 403])).toEqual({ at: [600, 400], of: ['grid', 'grid'], ends: [] });
});

test('the foot and the crossing lie on their lines, and a view is left where it was entered from', () => {
    const at = fc.tuple(fc.integer({ min: -500, max: 500 }), fc.integer({ min: -500, max: 500 }));
    const angle = fc.double({ min: -3, max: 3, noNaN: true });
    fc.assert(
        fc.property(at, angle, at, angle, (p, a, q, b) => {
            const [one, other] = [aslant(p, a), aslant(q, b)];
            const aside = (s: typeof one, r: Pt) => (r[0] - s.at[0]) * s.way[1] - (r[1] - s.at[1]) * s.way[0];
            expect(Math.abs(aside(one, footOn(one, q)!))).toBeLessThan(1e-6);
            const met = crossingOf(one, other);
            if (met) for (const s of [one, other]) expect(Math.abs(aside(s, met))).toBeLessThan(1e-4);
            const through = throughBox(one, [-100, -80, 100, 80]);
            for (const r of through ?? []) {
                expect(Math.abs(aside(one, r))).toBeLessThan(1e-6);
                expect(Math.max(Math.abs(r[0]) - 100, Math.abs(r[1]) - 80)).toBeCloseTo(0, 6);
            }
        }),
    );
    expect(footOn({ ...aslant([0, 0], 0), onward: true }, [-5, 3])).toBeNull();
    expect(crossingOf(aslant([0, 0], 0), aslant([0, 5], 0.01))).toBeNull();
    expect(gridAt([148, 251], 100).map((s) => s.at)).toEqual([
        [100, 0],
        [0, 300],
    ]);
});

test('places along a way are evenly spread, ends and turns with it', () => {
    const way: Pt[] = [
        [0, 0],
        [100, 0],
        [100, 100],
    ];
    const places = placesAlong(way, 5);
    expect(places.map((p) => p.at)).toEqual([
        [0, 0],
        [50, 0],
        [100, 0],
        [100, 50],
        [100, 100],
    ]);
    expect(places.map((p) => Math.round((p.angle * 180) / Math.PI))).toEqual([0, 0, 0, 90, 90]);
    expect(placesAlong(way, 1)[0]?.at).toEqual([100, 100]);
    expect(
        placesAlong(
            [
                [3, 3],
                [3, 3],
            ],
            4,
        ),
    ).toEqual([]);
});

test('a path runs through its points, straight between corners and along handles', () => {
    const chain = chainThrough(
        [
            { at: [0, 0], ahead: null },
            { at: [30, 0], ahead: [0, 12] },
            { at: [30, 60], ahead: null },
        ],
        false,
    );
    expect(chain).toEqual([
        [0, 0],
        [10, 0],
        [30, -12],
        [30, 0],
        [30, 12],
        [30, 40],
        [30, 60],
    ]);
    const ring = chainThrough(
        [
            { at: [0, 0], ahead: [1, 2] },
            { at: [30, 0], ahead: null },
        ],
        true,
    );
    expect(ring).toHaveLength(7);
    expect([ring[0], ring[5], ring[6]]).toEqual([
        [0, 0],
        [-1, -2],
        [0, 0],
    ]);
});
