/** A box around what is to stay of the sheet. */
import Crop from '@lucide/svelte/icons/crop';
import { intake } from '../state/intake.svelte';
import { along } from '../drawn/marks';
import { boxOf } from '../geometry/box';
import type { Tool } from './tool';

export const crop: Tool = {
    id: 'crop',
    name: 'Crop',
    help: 'Drag a box around what is to stay',
    icon: Crop,
    cursor: 'crosshair',
    use: ({ from, to, still }) => still || intake.crop(from, to),
    draw({ g, camera, stroke }) {
        const [from, to] = [stroke[0], stroke[stroke.length - 1]];
        if (!from || !to) return;
        const corners = camera.corners(boxOf([from, to]));
        g.save();
        g.fillStyle = 'rgba(42, 40, 34, 0.45)';
        g.beginPath();
        g.rect(0, 0, camera.width, camera.height);
        along(g, corners);
        g.closePath();
        g.fill('evenodd');
        g.beginPath();
        along(g, corners);
        g.closePath();
        g.strokeStyle = '#de9f27';
        g.lineWidth = 2;
        g.stroke();
        g.restore();
    },
    drawsOn: () => 'all',
};
