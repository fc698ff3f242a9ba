/** Looking: the sheet is panned, marks are taken in hand. */
import Hand from '@lucide/svelte/icons/hand';
import type { Tool } from './tool';

export const look: Tool = {
    id: 'look',
    name: 'Look',
    help: 'Drag to pan, click a mark to take it in hand',
    icon: Hand,
    cursor: 'grab',
    pans: true,
};
