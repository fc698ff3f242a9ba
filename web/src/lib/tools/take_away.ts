/** Bridges and seams taken away. */
import Trash2 from '@lucide/svelte/icons/trash-2';
import { lineAt } from '../drawn/under';
import { bench } from '../state/bench.svelte';
import { sheet } from '../state/sheet.svelte';
import type { LineView } from '../types/LineView';
import type { Stroke, Tool } from './tool';
import { plain } from './trail';

/** How near a click must be to a line to mean it, px of the screen. */
const NEAR = 11;

const isHandmade = (l: LineView) => l.made === 'bridge' || l.made === 'hand';

function remove({ to }: Stroke) {
    const hit = lineAt(to, NEAR / bench.camera.scale, isHandmade);
    if (hit) return sheet.do({ of: 'join', do: 'remove', line: hit.id });
}

export const takeAway: Tool = {
    id: 'take-away',
    name: 'Take away',
    help: 'Click a bridge, a seam or a line by hand to take it away',
    icon: Trash2,
    cursor: 'crosshair',
    use: remove,
    draw: plain,
};
