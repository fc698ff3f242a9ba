/** Areas where the weight is to change. */
import Brush from '@lucide/svelte/icons/brush';
import { drawBrush, paint, reach } from './brush';
import type { Tool } from './tool';

export const area: Tool = {
    id: 'area',
    name: 'Paint area',
    help: 'Paint where the weight is to change',
    icon: Brush,
    cursor: 'crosshair',
    use: paint,
    draw: drawBrush,
    drawsOn: reach,
};
