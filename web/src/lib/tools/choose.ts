/** Lines taken in hand. */
import Pointer from '@lucide/svelte/icons/pointer';
import { lineAt } from '../drawn/under';
import { bench } from '../state/bench.svelte';
import type { Stroke, Tool } from './tool';

/** How near a click must be to a line to mean it, px of the screen. */
const NEAR = 8;

/** Takes the line under a place in hand, or lets go of it. */
function take({ to }: Stroke) {
    const id = lineAt(to, NEAR / bench.camera.scale, (l) => l.kind === 'centreline')?.id;
    if (id === undefined) bench.chosen = [];
    else if (bench.chosen.includes(id)) bench.chosen = bench.chosen.filter((c) => c !== id);
    else bench.chosen = [...bench.chosen, id];
}

export const choose: Tool = {
    id: 'choose',
    name: 'Choose lines',
    help: 'Click lines to take them in hand',
    icon: Pointer,
    cursor: 'pointer',
    use: take,
};
