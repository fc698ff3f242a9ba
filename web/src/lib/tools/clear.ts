/** Paint taken out of regions. */
import Eraser from '@lucide/svelte/icons/eraser';
import { regionsUnder } from '../drawn/under';
import { sheet } from '../state/sheet.svelte';
import type { Stroke, Tool } from './tool';
import { plain } from './trail';

function empty({ path }: Stroke) {
    const painted = regionsUnder(path).filter((r) => r.swatch);
    if (painted.length) return sheet.do({ of: 'paint', do: 'clear', at: painted.map((r) => r.seed) });
}

export const clear: Tool = {
    id: 'clear',
    name: 'Clear',
    help: 'Take the paint out of regions',
    icon: Eraser,
    cursor: 'crosshair',
    use: empty,
    draw: plain,
};
