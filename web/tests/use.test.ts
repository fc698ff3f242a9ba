import { painted } from './page';
import { beforeEach, expect, test, vi } from 'vitest';
import { bench, type ToolId } from '../src/lib/state/bench.svelte';
import { colours } from '../src/lib/state/colours.svelte';
import { shots } from '../src/lib/state/shots.svelte';
import { clicked } from '../src/lib/state/clicked.svelte';
import { intake } from '../src/lib/state/intake.svelte';
import { settings } from '../src/lib/state/inking.svelte';
import { pen } from '../src/lib/state/pen.svelte';
import { probe } from '../src/lib/state/probe.svelte';
import { sheet } from '../src/lib/state/sheet.svelte';
import { TRAYS, toolsOf, use } from '../src/lib/tools';
import type { Shown } from '../src/lib/state/shown';
import type { Pt } from '../src/lib/types/Pt';
import type { Sample } from '../src/lib/types/Sample';

const here = vi.hoisted(() => ({
    line: undefined as { id: number; kind: string; made: string } | undefined,
    end: null as [number, number] | null,
}));
vi.mock('../src/lib/drawn/meeting', () => ({
    meetingNear: () => here.end && { at: here.end, of: ['end'], ends: [] },
}));
vi.mock('../src/lib/drawn/under', () => ({
    lineAt: (_: Pt, __: number, which: (l: unknown) => boolean) =>
        here.line && which(here.line) ? here.line : undefined,
    regionAt: () => ({ swatch: 'skin', seed: [5, 5] }),
    alongStroke: (path: Pt[]) => path,
    regionsUnder: (path: Pt[]) => path.map((seed, i) => ({ seed, swatch: i % 2 ? 'skin' : null })),
}));
vi.mock('../src/lib/api', async (original) => ({
    ...(await original<object>()),
    pixel: (_: number, x: number, y: number) => Promise.resolve([x, y, 9]),
}));

const sent: unknown[] = [];
vi.spyOn(sheet, 'do').mockImplementation((command) => {
    sent.push(command);
    return Promise.resolve(true);
});
const asks: [string, ...unknown[]][] = [];
const watch = (of: object, name: string) =>
    vi.spyOn(of as Record<string, () => unknown>, name).mockImplementation((...args: unknown[]) => {
        asks.push([name, ...args]);
        return Promise.resolve(true);
    });
for (const name of ['level', 'crop']) watch(intake, name);
for (const name of ['pickSpan', 'testLeak']) watch(probe, name);
watch(sheet, 'register');
watch(settings, 'addSample');

const path: Pt[] = [
    [10, 10],
    [40, 20],
    [60, 90],
];

const samplesOf = (stroke: Pt[]) => stroke.map(([x, y], k): Sample => [x, y, 0.5, null, 4 * k]);

function with_(tool: ToolId, stroke = path, still = false) {
    bench.tool = tool;
    return use(stroke, samplesOf(stroke), still, { inSteps: false, fromCentre: false });
}

beforeEach(() => {
    sent.length = asks.length = 0;
    [here.line, here.end, bench.free] = [undefined, null, false];
    const recipes = { lift: { ink_colour: [20, 19, 17] } };
    sheet.view = { info: { id: 1 }, width: 100, height: 100, dpi: 254, recipes } as unknown as Shown;
    bench.enter('join');
    bench.camera.scale = 1;
    shots.productions = painted('shell', 'skin');
    colours.take('shell');
});

test('every tool but those to look with and to set points does something with a stroke', async () => {
    here.line = { id: 3, kind: 'centreline', made: 'bridge' };
    const lines = { within: () => [{ id: 3, path: 'M36 30C37 31 38 32 39 33' }], get: () => undefined };
    const regions = { within: () => [{ seed: [37, 25], swatch: null }] };
    sheet.view = { ...sheet.view, lines, regions } as unknown as Shown;
    for (const station of Object.keys(TRAYS) as (keyof typeof TRAYS)[]) {
        for (const tool of toolsOf(TRAYS[station])
            .map((t) => t.id)
            .filter((t) => !['look', 'corners', 'points'].includes(t))) {
            [sent.length, asks.length, bench.chosen] = [0, 0, []];
            colours.take('shell');
            bench.station = station;
            await with_(tool);
            const set = clicked.points.length;
            const did = sent.length + asks.length + bench.chosen.length + set + (colours.paint === 'shell' ? 0 : 1);
            clicked.clear();
            expect(did, `${tool} at ${station}`).toBe(1);
        }
    }
});

test('a stroke becomes the step of its tool', async () => {
    await with_('sweep');
    await with_('seam');
    bench.cutEnds = 'flat';
    await with_('cut');
    await with_('fill');
    await with_('clear');
    expect(sent).toEqual([
        { of: 'join', do: 'sweep', path },
        { of: 'join', do: 'seam', path },
        { of: 'join', do: 'cut', outline: path, ends: 'flat', loose: false },
        { of: 'paint', do: 'fill', at: path, swatch: 'shell' },
        { of: 'paint', do: 'clear', at: [path[1]] },
    ]);
});

test('ink is drawn as the device told it, by the pen as it is set', async () => {
    Object.assign(pen.settings, {
        width: 0.5,
        steadying: 0.2,
        by: 'speed',
        least: 0.3,
        tilt: 0,
        swatch: 'gone',
        under: true,
    });
    bench.camera.scale = 2;
    await with_('ink');
    expect(sent).toEqual([
        {
            of: 'draw',
            do: 'ink',
            samples: samplesOf(path),
            pen: { width: 5, steadying: 0.2, follows: { by: 'speed', least: 0.3 }, tilt: 0, grain: 0.5 },
            // A swatch that the shot has no more is not asked for.
            swatch: null,
            under: true,
            fuse: false,
        },
    ]);
});

test('ink begins and ends where a line ends nearby, but not while it is kept from that', async () => {
    const ends = () =>
        (sent as { samples: Sample[] }[]).map(({ samples }) => [samples[0]!.slice(0, 2), samples[2]!.slice(0, 2)]);
    here.end = [12, 11];
    await with_('ink');
    bench.free = true;
    await with_('ink');
    expect(ends()).toEqual([
        [
            [12, 11],
            [12, 11],
        ],
        [path[0], path[2]],
    ]);
});

test('a click where a stroke is wanted does nothing', async () => {
    for (const tool of ['sweep', 'seam', 'cut', 'level', 'crop', 'marks'] as ToolId[])
        await with_(tool, [[10, 10]], true);
    // Nor does an outline that gets nowhere, however close it is looked at.
    bench.camera.scale = 0.1;
    await with_('cut');
    expect([sent, asks]).toEqual([[{ of: 'join', do: 'cut', outline: path, ends: bench.cutEnds, loose: false }], []]);
    bench.camera.scale = 0.05;
    await with_('cut');
    expect(sent).toHaveLength(1);
});

test('the brush paints what its station means by it', async () => {
    bench.brush = { size: 30, hardness: 0.5, strength: 0.8, takesOff: true };
    bench.enter('lift');
    bench.effect = 'erase';
    await with_('touch');
    bench.enter('weight');
    await with_('area');
    const touch = { path, size: 30, hardness: 0.5, strength: 0.8, takes_off: true };
    expect(sent).toEqual([
        { of: 'lift', do: 'touch', touch: { ...touch, effect: 'erase' } },
        { of: 'lift', do: 'touch', touch: { ...touch, effect: 'weight' } },
    ]);
});

test('a line is taken in hand, let go of by another click, and all are by a click beside them', async () => {
    here.line = { id: 3, kind: 'centreline', made: 'traced' };
    await with_('choose');
    expect(bench.chosen).toEqual([3]);
    here.line = { id: 4, kind: 'centreline', made: 'traced' };
    await with_('choose');
    expect(bench.chosen).toEqual([3, 4]);
    await with_('choose');
    expect(bench.chosen).toEqual([3]);
    // A seam has no weight.
    here.line = { id: 5, kind: 'seam', made: 'hand' };
    await with_('choose');
    expect(bench.chosen).toEqual([]);
});

test('only what was made by hand is taken away', async () => {
    here.line = { id: 3, kind: 'centreline', made: 'traced' };
    await with_('take-away');
    expect(sent).toEqual([]);
    here.line = { id: 9, kind: 'seam', made: 'hand' };
    await with_('take-away');
    expect(sent).toEqual([{ of: 'join', do: 'remove', line: 9 }]);
});

test('a swatch that is picked is the one to fill with', async () => {
    await with_('pick');
    expect([colours.paint, bench.tool]).toEqual(['skin', 'fill']);
});

test('pencil is sampled on the sheet, not beside it', async () => {
    await with_('sample', [[12.7, 30.2]], true);
    await with_('sample', [[-1, 30]], true);
    await with_('sample', [[12, 100]], true);
    expect(asks).toEqual([['addSample', [12, 30, 9]]]);
});
