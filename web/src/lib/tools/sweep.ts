/** Tails swept off by a quick stroke. */
import Scissors from '@lucide/svelte/icons/scissors';
import { sheet } from '../state/sheet.svelte';
import type { Tool } from './tool';
import { trail } from './trail';

export const sweep: Tool = {
    id: 'sweep',
    name: 'Sweep',
    help: 'A quick stroke across tails cuts them at the other line’s edge',
    icon: Scissors,
    cursor: 'crosshair',
    use: ({ path }) => path.length > 1 && sheet.do({ of: 'join', do: 'sweep', path }),
    draw: (hand) => trail(hand, { colour: '#6A4A80', width: 5, opacity: 0.55 }),
};
