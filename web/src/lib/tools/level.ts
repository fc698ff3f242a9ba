/** A line that should be level. */
import Ruler from '@lucide/svelte/icons/ruler';
import { intake } from '../state/intake.svelte';
import { betweenMarks } from './across';
import type { Tool } from './tool';

export const level: Tool = {
    id: 'level',
    name: 'Level',
    help: 'Draw along a line that should be level',
    icon: Ruler,
    cursor: 'crosshair',
    use: ({ from, to, still }) => still || intake.level(from, to),
    draw: betweenMarks,
    drawsOn: () => 'all',
};
