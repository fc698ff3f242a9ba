/** The colour model in hand: swatch and tone, what was in hand before, and changes one after the other. */
import { painted } from './page';
import { beforeEach, expect, test, vi } from 'vitest';
import type { ColourModel } from '../src/lib/types/ColourModel';

const server = vi.hoisted(() => ({ model: null as ColourModel | null, revision: 1, refused: 0 }));
vi.mock('../src/lib/api', async (original) => ({
    ...(await original<object>()),
    setColours: (_: number, revision: number, model: ColourModel) => {
        if (revision !== server.revision) {
            server.refused++;
            return Promise.reject(new Error('somebody was first'));
        }
        [server.model, server.revision] = [model, revision + 1];
        return Promise.resolve(server.revision);
    },
    productions: () => {
        const list = painted();
        Object.assign(list[0]!.shots[0]!, server.model, { revision: server.revision });
        return Promise.resolve(list);
    },
}));

const { colours } = await import('../src/lib/state/colours.svelte');
const { shots } = await import('../src/lib/state/shots.svelte');
const { undoing } = await import('../src/lib/state/undoing.svelte');
const { proposedTone, oklchOf, rgbOf } = await import('../src/lib/parts/oklch');

const ids = () => server.model?.swatches.map((s) => s.id);
const swatch = (id: string, group = '') => ({
    id,
    name: id,
    colour: [1, 2, 3] as [number, number, number],
    group,
    tones: {},
    note: '',
});

beforeEach(() => {
    shots.productions = painted('shell', 'skin', 'kettle');
    const { tones, swatches } = shots.shot!;
    [server.model, server.revision, server.refused] = [{ tones, swatches }, 1, 0];
    [colours.swatch, colours.tone, colours.recent] = [null, null, []];
});

test('a swatch is taken in the tone in hand, and what was before is at hand', () => {
    colours.takeSwatch('skin');
    expect(colours.paint).toBe('skin');
    colours.nextTone();
    expect(colours.paint).toBe('skin/shadow');
    colours.takeSwatch('kettle');
    expect([colours.paint, colours.recent]).toEqual(['kettle/shadow', ['skin/shadow', 'shell']]);
    colours.back();
    expect([colours.paint, colours.recent[0]]).toEqual(['skin/shadow', 'kettle/shadow']);
    colours.nextTone();
    expect(colours.paint).toBe('skin');
    expect(shots.nameOf('skin/shadow')).toBe('skin, shadow');
    expect(shots.nameOf('gone')).toBe('a swatch that is no more');
});

test('changes wait for one another, so none is made on what another changed', async () => {
    const all = [
        colours.recolour('skin', null, [9, 9, 9]),
        colours.recolour('skin', 'shadow', [4, 4, 4]),
        colours.change('skin', { note: 'wet' }),
        colours.move('skin', 'shell', ''),
        colours.dropTone('kettle', 'shadow'),
    ];
    expect(await Promise.all(all)).toEqual([true, true, true, true, true]);
    expect(server.refused).toBe(0);
    expect(ids()).toEqual(['skin', 'shell', 'kettle']);
    expect(server.model?.swatches[0]).toMatchObject({ colour: [9, 9, 9], tones: { shadow: [4, 4, 4] }, note: 'wet' });
    expect(server.model?.swatches[2]?.tones).toEqual({});
});

test('what comes in has ids of its own and brings its tones', async () => {
    const tones = [{ id: 'night', name: 'Night' }];
    await colours.add({ tones, swatches: [swatch('skin'), swatch('skin'), swatch('moss/old')] });
    expect(ids()).toEqual(['shell', 'skin', 'kettle', 'skin-2', 'skin-3', 'moss-old']);
    expect(server.model?.tones.map((t) => t.id)).toEqual(['shadow', 'night']);
    expect(colours.swatch).toBe('skin-2');
    // A tone that goes takes its colours along.
    await colours.setTones(tones);
    expect(server.model?.swatches.every((s) => !('shadow' in s.tones))).toBe(true);
});

test('swatches are moved between groups, to the end or in front of one', async () => {
    await colours.add({ tones: [], swatches: [swatch('cap', 'Post'), swatch('satchel', 'Post')] });
    await colours.move('shell', null, 'Post');
    expect(colours.groups.map((g) => [g.name, g.list.map((s) => s.id)])).toEqual([
        ['', ['skin', 'kettle']],
        ['Post', ['cap', 'satchel', 'shell']],
    ]);
    await colours.move('kettle', 'cap', 'Post');
    expect(colours.listed.map((s) => s.id)).toEqual(['skin', 'kettle', 'cap', 'satchel', 'shell']);
});

test('colours go through Oklch and come back, and proposed tones are darker or lighter', () => {
    for (const rgb of [
        [0, 0, 0],
        [255, 255, 255],
        [217, 182, 122],
        [3, 250, 9],
        [128, 128, 128],
    ] as const) {
        expect(rgbOf(oklchOf([...rgb]))).toEqual([...rgb]);
    }
    const { l } = oklchOf([217, 182, 122]);
    expect(oklchOf(proposedTone([217, 182, 122], 'Shadow')).l).toBeLessThan(l);
    expect(oklchOf(proposedTone([217, 182, 122], 'Light')).l).toBeGreaterThan(l);
    // What sRGB does not have comes as the nearest that it has, with its hue.
    expect(Math.abs(oklchOf(rgbOf({ l: 0.7, c: 0.4, h: 140 })).h - 140)).toBeLessThan(4);
});

test('changes of the model are undone and done again, many of one colour together, none that somebody changed since', async () => {
    undoing.forget();
    const now = () => server.model?.swatches.find((s) => s.id === 'skin');
    const was = now()?.colour;
    expect(undoing.undoes).toBe(null);
    await colours.change('kettle', { name: 'Pot' });
    vi.spyOn(performance, 'now').mockReturnValue(1e6);
    for (const g of [10, 20, 30]) await colours.recolour('skin', null, [9, g, 9]);
    expect([now()?.colour, undoing.undoes]).toEqual([[9, 30, 9], 'changed the colour model']);
    // Pressed twice at once: the second waits for the first.
    await Promise.all([undoing.undo(), undoing.undo()]);
    expect([now()?.colour, server.model?.swatches.some((s) => s.name === 'Pot')]).toEqual([was, false]);
    expect([undoing.undoes, undoing.redoes]).toEqual([null, 'changed the colour model']);
    await undoing.redo();
    await undoing.redo();
    expect([now()?.colour, undoing.redoes]).toEqual([[9, 30, 9], null]);
    // Somebody else's change is not written over.
    server.model = { ...server.model!, swatches: server.model!.swatches.slice(0, 2) };
    await shots.load();
    await undoing.undo();
    expect([server.model.swatches.length, undoing.undoes]).toEqual([2, null]);
    vi.restoreAllMocks();
});
