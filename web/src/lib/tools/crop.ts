/** A box around what is to stay of the sheet. */
import Crop from '@lucide/svelte/icons/crop';
import { intake } from '../state/intake.svelte';
import { ends } from './across';
import type { Tool } from './tool';

export const crop: Tool = {
    id: 'crop',
    name: 'Crop',
    help: 'Drag a box around what is to stay',
    icon: Crop,
    cursor: 'crosshair',
    use: ({ from, to, still }) => still || intake.crop(from, to),
    draw(hand) {
        const both = ends(hand);
        if (!both) return;
        const [a, b] = both;
        const { g, camera } = hand;
        g.save();
        g.fillStyle = 'rgba(42, 40, 34, 0.45)';
        g.beginPath();
        g.rect(0, 0, camera.width, camera.height);
        g.rect(Math.min(a[0], b[0]), Math.min(a[1], b[1]), Math.abs(b[0] - a[0]), Math.abs(b[1] - a[1]));
        g.fill('evenodd');
        g.strokeStyle = '#de9f27';
        g.lineWidth = 2;
        g.strokeRect(a[0], a[1], b[0] - a[0], b[1] - a[1]);
        g.restore();
    },
    drawsOn: () => 'all',
};
