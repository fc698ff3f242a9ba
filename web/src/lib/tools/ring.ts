/** The ring of a tool that works around the pointer, and what it would make of lines. */
import { pathOf } from '../drawn/paths';
import { tried } from '../state/tried.svelte';
import type { InHand } from './tool';

export function drawRing({ g, hover }: InHand, radius: number) {
    if (!hover) return;
    for (const [width, colour] of [
        [3, '#fffdf7'],
        [1.5, '#2F5D50'],
    ] as const) {
        g.beginPath();
        g.arc(hover[0], hover[1], Math.max(3, radius), 0, 2 * Math.PI);
        g.lineWidth = width;
        g.strokeStyle = colour;
        g.stroke();
    }
}

/** The ink of lines as a step in hand would leave it, loud over what is there. */
export function drawTried({ g, camera, onSheet }: InHand) {
    const told = tried.told;
    if (!told) return;
    onSheet(() => {
        for (const line of told.lines) {
            const path = pathOf(line);
            g.globalAlpha = 0.55;
            g.fillStyle = '#de9f27';
            g.fill(path, 'evenodd');
            g.globalAlpha = 1;
            g.lineWidth = 1.2 / camera.scale;
            g.strokeStyle = '#2a2822';
            g.stroke(path);
        }
    });
}
