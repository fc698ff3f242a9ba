import './page';
import fc from 'fast-check';
import { beforeEach, expect, test, vi } from 'vitest';
import { bench } from '../src/lib/state/bench.svelte';
import { intake } from '../src/lib/state/intake.svelte';
import { sheet } from '../src/lib/state/sheet.svelte';
import type { Shown } from '../src/lib/state/shown';
import type { IntakeRecipe } from '../src/lib/types/IntakeRecipe';
import type { Pt } from '../src/lib/types/Pt';

const server = vi.hoisted(() => ({ corners: null as unknown }));
vi.mock('../src/lib/api', () => ({
    Refused: class extends Error {},
    findCorners: () => Promise.resolve(server.corners),
}));

let sent: IntakeRecipe[] = [];
vi.spyOn(sheet, 'do').mockImplementation((command) => {
    if (command.do === 'intake') sent.push(command.intake);
    return Promise.resolve(true);
});

const plain = { quarter_turns: 0, straighten: 0, crop: null, register: null, corners: null };

function lay(recipe: object = plain) {
    const of = { info: { id: 1 }, width: 400, height: 300, original: [1000, 800], recipes: { intake: recipe } };
    sheet.view = of as unknown as Shown;
    sent = [];
}

beforeEach(() => {
    lay();
    bench.enter('intake');
});

test('a line that is drawn level or upright comes to lie so, whichever way it was drawn', async () => {
    await fc.assert(
        fc.asyncProperty(
            fc.double({ min: -44, max: 44, noNaN: true }),
            fc.constantFrom(0, 90, 180, 270),
            fc.integer({ min: 20, max: 400 }),
            async (askew, way, length) => {
                lay();
                const angle = ((askew + way) * Math.PI) / 180;
                await intake.level([50, 50], [50 + length * Math.cos(angle), 50 + length * Math.sin(angle)]);
                // Turned by what is set the line is level or upright to a hundredth of a degree.
                expect(sent[0]!.straighten).toBeCloseTo(-askew, 1);
            },
        ),
    );
});

test('what is straightened keeps within its range, and by hand it is lined up by its marks no more', async () => {
    lay({ ...plain, straighten: 40, register: { marks: [] } });
    await intake.level([0, 0], [100, -30]);
    expect(sent[0]).toEqual({ ...plain, straighten: 45, register: null });
});

test('a crop lies on the sheet and is told in its own pixels, one within another too', async () => {
    const place = fc.tuple(fc.integer({ min: -200, max: 600 }), fc.integer({ min: -200, max: 500 }));
    await fc.assert(
        fc.asyncProperty(place, place, async (a: Pt, b: Pt) => {
            lay({ ...plain, crop: [30, 40, 400, 300] });
            const done = await intake.crop(a, b);
            const clamp = (v: number, most: number) => Math.min(most, Math.max(0, v));
            const [w, h] = [
                Math.abs(clamp(a[0], 400) - clamp(b[0], 400)),
                Math.abs(clamp(a[1], 300) - clamp(b[1], 300)),
            ];
            // Too small to be meant.
            if (w < 8 || h < 8) return void expect([done, sent]).toEqual([false, []]);
            const [x, y] = [Math.min(clamp(a[0], 400), clamp(b[0], 400)), Math.min(clamp(a[1], 300), clamp(b[1], 300))];
            expect(sent[0]!.crop).toEqual([30 + x, 40 + y, w, h]);
        }),
    );
});

test('four quarter turns are none; what was measured on the sheet before goes', async () => {
    lay({ ...plain, quarter_turns: 3, crop: [1, 2, 3, 4], register: { marks: [] } });
    await intake.turn();
    expect(sent).toEqual([plain]);
});

test('corners that are found do not take the place of those somebody moved meanwhile', async () => {
    bench.corners = null;
    server.corners = [
        [9, 9],
        [90, 9],
        [90, 90],
        [9, 90],
    ];
    const taking = intake.takeCorners();
    expect(bench.corners).toHaveLength(4);
    bench.corners = bench.corners!.map((p, k) => (k === 0 ? [40, 50] : p));
    await taking;
    expect(bench.corners[0]).toEqual([40, 50]);
    // Those that were put down stay away.
    const again = intake.takeCorners();
    bench.corners = null;
    await again;
    expect(bench.corners).toBeNull();
    server.corners = null;
});

test('the corners taken in hand are those that are set, else those that are found, else the pictures own', async () => {
    const found = [
        [1, 1],
        [9, 1],
        [9, 8],
        [1, 8],
    ];
    await intake.takeCorners();
    expect(bench.corners?.map((p) => p.map(Math.round))).toEqual([
        [40, 32],
        [960, 32],
        [960, 768],
        [40, 768],
    ]);
    server.corners = found;
    await intake.takeCorners();
    expect(bench.corners).toEqual(found);
    lay({ ...plain, corners: found.map(([x, y]) => [x! + 5, y]) });
    await intake.takeCorners();
    expect(bench.corners?.[0]).toEqual([6, 1]);
    await intake.squareUp();
    expect(sent[0]).toEqual({ ...plain, corners: found.map(([x, y]) => [x! + 5, y]) });
    expect([bench.corners, bench.tool]).toEqual([null, 'look']);
});
