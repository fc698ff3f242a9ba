/** A swatch and its tone taken from the drawing. */
import SwatchBook from '@lucide/svelte/icons/swatch-book';
import { regionAt } from '../drawn/under';
import { bench } from '../state/bench.svelte';
import { colours } from '../state/colours.svelte';
import type { Stroke, Tool } from './tool';

function take({ to }: Stroke) {
    const paint = regionAt(to)?.swatch;
    if (!paint) return;
    colours.take(paint);
    bench.tool = 'fill';
}

export const pick: Tool = {
    id: 'pick',
    name: 'Pick',
    help: 'Take the swatch and tone from the drawing',
    icon: SwatchBook,
    cursor: 'copy',
    use: take,
};
