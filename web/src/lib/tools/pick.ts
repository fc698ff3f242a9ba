/** A swatch taken from the drawing. */
import SwatchBook from '@lucide/svelte/icons/swatch-book';
import { regionAt } from '../drawn/under';
import { bench } from '../state/bench.svelte';
import type { Stroke, Tool } from './tool';

function take({ to }: Stroke) {
    const swatch = regionAt(to)?.swatch;
    if (swatch) [bench.swatch, bench.tool] = [swatch, 'fill'];
}

export const pick: Tool = {
    id: 'pick',
    name: 'Pick',
    help: 'Take the swatch from the drawing',
    icon: SwatchBook,
    cursor: 'copy',
    use: take,
};
