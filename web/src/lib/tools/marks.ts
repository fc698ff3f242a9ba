/** Two marks by which every sheet of the shot is laid. */
import Crosshair from '@lucide/svelte/icons/crosshair';
import { sheet } from '../state/sheet.svelte';
import { betweenMarks } from './across';
import type { Tool } from './tool';

export const marks: Tool = {
    id: 'marks',
    name: 'Two marks',
    help: 'Drag from one mark to another: every sheet is laid by them',
    icon: Crosshair,
    cursor: 'crosshair',
    use: ({ from, to, still }) => still || sheet.register([from, to]),
    draw: betweenMarks,
    drawsOn: () => 'all',
};
