import './page';
import { beforeEach, expect, test, vi } from 'vitest';
import { bench } from '../src/lib/state/bench.svelte';
import { settings } from '../src/lib/state/inking.svelte';
import { sheet } from '../src/lib/state/sheet.svelte';
import type { Shown } from '../src/lib/state/shown';
import type { Recipes } from '../src/lib/types/Recipes';

const sent: unknown[] = [];
let taken = true;
vi.spyOn(sheet, 'do').mockImplementation((command) => {
    sent.push(structuredClone(command));
    return Promise.resolve(taken);
});

const recipes = (more: { specks?: number; amount?: number } = {}) =>
    ({
        lift: { specks: more.specks ?? 0.1, drop_out: null },
        weight: { amount: more.amount ?? 0 },
        trace: { widest_line: 4 },
        join: { longest_gap: 3.4 },
    }) as unknown as Recipes;

function lay(id: number, of = recipes(), more: object = {}) {
    sheet.view = {
        info: { id },
        recipes: of,
        lift: { drop_out: [[1, 2, 3]] },
        trouble: null,
        ...more,
    } as unknown as Shown;
    settings.follow();
}

let drawing = 0;

beforeEach(() => {
    vi.useFakeTimers();
    sent.length = 0;
    taken = true;
    settings.pending = settings.dragging = false;
    lay(++drawing);
});

test('settings in hand follow what is saved, unless they are newer than it', () => {
    expect(settings.lift).toEqual(recipes().lift);
    lay(drawing, recipes({ specks: 0.4 }));
    expect(settings.lift).toEqual(recipes({ specks: 0.4 }).lift);
    settings.move(() => Object.assign(settings.lift!, { specks: 0.9 }), 'specks');
    lay(drawing, recipes({ specks: 0.2 }));
    expect(settings.lift).toEqual(recipes({ specks: 0.9 }).lift);
    // Those of another drawing are taken over whatever was in hand.
    lay(++drawing, recipes({ specks: 0.3 }));
    expect(settings.lift).toEqual(recipes({ specks: 0.3 }).lift);
});

test('what was moved is saved as one step when it is let go, with all the other recipes as they were', async () => {
    settings.move(() => Object.assign(settings.lift!, { specks: 0.7 }), 'specks');
    settings.move(() => Object.assign(settings.lift!, { specks: 0.8 }), 'specks');
    expect([settings.dragging, settings.pending, settings.watched]).toEqual([true, true, 'specks']);
    expect(sent).toEqual([]);
    await settings.save();
    expect([settings.dragging, settings.pending, settings.watched]).toEqual([false, false, null]);
    expect(sent).toEqual([{ of: 'settings', do: 'recipes', recipes: recipes({ specks: 0.8 }) }]);
});

test('keys that move a setting step by step are saved once they rest', async () => {
    for (let k = 1; k <= 5; k++) {
        settings.move(() => Object.assign(settings.weight!, { amount: k / 10 }));
        await settings.save(true);
        await vi.advanceTimersByTimeAsync(300);
    }
    expect(sent).toEqual([]);
    await vi.advanceTimersByTimeAsync(200);
    expect(sent).toEqual([{ of: 'settings', do: 'recipes', recipes: recipes({ amount: 0.5 }) }]);
});

test('a setting that is let go where it was is no step', async () => {
    settings.move(() => Object.assign(settings.lift!, { specks: 0.5 }));
    settings.move(() => Object.assign(settings.lift!, { specks: 0.1 }));
    await settings.save();
    expect(sent).toEqual([]);
});

test('a pencil colour is added to those that are dropped, the last eight of them', async () => {
    await settings.addSample([9, 9, 9]);
    expect(settings.lift?.drop_out).toEqual([
        [1, 2, 3],
        [9, 9, 9],
    ]);
    for (let k = 0; k < 9; k++) await settings.addSample([k, 0, 0]);
    expect(settings.lift?.drop_out).toHaveLength(8);
    expect(settings.lift?.drop_out?.at(-1)).toEqual([8, 0, 0]);
});

test('the ink that the settings give is shown where they are set, as long as there is any to lift', () => {
    const shown = () =>
        (['lift', 'weight', 'trace', 'join', 'paint'] as const).filter((station) => {
            bench.station = station;
            return settings.shown;
        });
    bench.weighs = 'ink';
    expect(shown()).toEqual(['lift', 'weight', 'trace']);
    // At Weight the lines are weighed, once there are some and they are chosen.
    bench.weighs = 'lines';
    expect(shown()).toEqual(['lift', 'weight', 'trace']);
    lay(drawing, recipes(), { traced: true });
    expect(shown()).toEqual(['lift', 'trace']);
    // Vector art has no ink to lift.
    lay(drawing, recipes(), { lift: null });
    expect(shown()).toEqual(['lift']);
});

test('a setting that could not be saved is told so, and what is saved is in hand again', async () => {
    settings.move(() => Object.assign(settings.lift!, { specks: 0.8 }));
    taken = false;
    expect(await settings.save()).toBe(false);
    expect(settings.lift).toEqual(recipes().lift);
    taken = true;
    settings.move(() => Object.assign(settings.lift!, { specks: 0.3 }));
    expect(await settings.save()).toBe(true);
    // With nothing to save there is nothing that is not saved.
    lay(drawing, recipes({ specks: 0.3 }));
    expect(await settings.save()).toBe(true);
    expect(sent).toHaveLength(2);
});

test('what is moved by keys is in hand until it is saved: a step of somebody else does not reset it', async () => {
    settings.move(() => Object.assign(settings.join!, { longest_gap: 1.5 }));
    await settings.save(true);
    lay(drawing, recipes({ specks: 0.9 }));
    expect(settings.join).toEqual({ longest_gap: 1.5 });
    await vi.advanceTimersByTimeAsync(500);
    expect(sent).toHaveLength(1);
});
