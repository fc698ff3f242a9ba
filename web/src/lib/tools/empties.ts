/** All empty regions within an outline filled. */
import LassoSelect from '@lucide/svelte/icons/lasso-select';
import { inside } from '../geometry/places';
import { around, type Box } from '../geometry/box';
import { bench } from '../state/bench.svelte';
import { colours } from '../state/colours.svelte';
import { sheet } from '../state/sheet.svelte';
import { washed } from './cut';
import type { Stroke, Tool } from './tool';

function pour({ path, still }: Stroke) {
    if (still || !colours.paint || !sheet.view) return;
    const box = path.reduce<Box>((b, [x, y]) => around(b, [x, y, x, y]), [...path[0]!, ...path[0]!]);
    const within = sheet.view.regions.within(box).filter((r) => !r.swatch && inside(r.seed, path));
    if (within.length)
        return sheet.do({ of: 'paint', do: 'fill', at: within.map((r) => r.seed), swatch: colours.paint });
}

export const empties: Tool = {
    id: 'empties',
    name: 'Empties',
    help: 'Draw around them, a box with Shift: all empty regions within are filled',
    icon: LassoSelect,
    cursor: 'crosshair',
    held: (start, here) => bench.camera.between(start, here),
    use: pour,
    draw: washed,
};
