/** One swatch put in the place of another all over the drawing. */
import Replace from '@lucide/svelte/icons/replace';
import { regionAt } from '../drawn/under';
import { colours } from '../state/colours.svelte';
import { parted } from '../state/paint';
import { sheet } from '../state/sheet.svelte';
import type { Stroke, Tool } from './tool';

function swapAll({ to }: Stroke) {
    const there = regionAt(to)?.swatch;
    // A swatch takes its tones along; one of its tones goes alone.
    const by = there && parted(there)[1] === null ? colours.current?.id : colours.paint;
    if (there && by && there !== by) return sheet.do({ of: 'paint', do: 'replace', swatch: there, by });
}

export const swap: Tool = {
    id: 'swap',
    name: 'Swap',
    help: 'Click paint: all of it in this drawing becomes what is in hand, tones becoming tones',
    icon: Replace,
    cursor: 'crosshair',
    use: swapAll,
};
