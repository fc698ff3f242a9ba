/** Dots that are meant. */
import Shield from '@lucide/svelte/icons/shield';
import { sheet } from '../state/sheet.svelte';
import type { Tool } from './tool';

export const protect: Tool = {
    id: 'protect',
    name: 'Protect',
    help: 'Click a dot that is meant: it stays',
    icon: Shield,
    cursor: 'crosshair',
    use: ({ to }) => sheet.do({ of: 'lift', do: 'protect', at: to }),
};
