/** One swatch put in the place of another all over the drawing. */
import Replace from '@lucide/svelte/icons/replace';
import { regionAt } from '../drawn/under';
import { colours } from '../state/colours.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Stroke, Tool } from './tool';

function swapAll({ to }: Stroke) {
    const there = regionAt(to)?.swatch;
    if (there && colours.paint && there !== colours.paint)
        return sheet.do({ of: 'paint', do: 'replace', swatch: there, by: colours.paint });
}

export const swap: Tool = {
    id: 'swap',
    name: 'Swap',
    help: 'Click paint: all of it in this drawing becomes the paint in hand',
    icon: Replace,
    cursor: 'crosshair',
    use: swapAll,
};
