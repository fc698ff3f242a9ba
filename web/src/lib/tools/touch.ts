/** Areas where the lift does more, less or nothing. */
import Brush from '@lucide/svelte/icons/brush';
import { drawBrush, paint, reach } from './brush';
import type { Tool } from './tool';

export const touch: Tool = {
    id: 'touch',
    name: 'Touch up',
    help: 'Paint where the settings should do more, less or nothing',
    icon: Brush,
    cursor: 'crosshair',
    use: paint,
    draw: drawBrush,
    drawsOn: reach,
};
