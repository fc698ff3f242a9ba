/** Regions filled with the swatch in hand. */
import PaintBucket from '@lucide/svelte/icons/paint-bucket';
import { regionsUnder } from '../drawn/under';
import { colours } from '../state/colours.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Stroke, Tool } from './tool';
import { plain } from './trail';

function pour({ path, to, still }: Stroke) {
    const at = regionsUnder(path).map((r) => r.seed);
    // Where no region holds paint, the way by which it would run is shown, with what closes it.
    if (still && at.length === 0) return probe.testLeak(to);
    if (colours.paint && at.length) return sheet.do({ of: 'paint', do: 'fill', at, swatch: colours.paint });
}

export const fill: Tool = {
    id: 'fill',
    name: 'Fill',
    help: 'Click a region, or drag across many',
    icon: PaintBucket,
    cursor: 'crosshair',
    use: pour,
    draw: plain,
};
