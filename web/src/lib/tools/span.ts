/** Stretches of lines between crossings, picked. */
import Slice from '@lucide/svelte/icons/slice';
import { probe } from '../state/probe.svelte';
import type { Tool } from './tool';
import { plain } from './trail';

export const span: Tool = {
    id: 'span',
    name: 'Span',
    help: 'Click a stretch between two crossings, then take it away',
    icon: Slice,
    cursor: 'crosshair',
    use: ({ to }) => probe.pickSpan(to),
    draw: plain,
};
