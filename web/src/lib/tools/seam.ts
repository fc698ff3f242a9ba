/** Boundaries without ink. */
import Spline from '@lucide/svelte/icons/spline';
import type { Camera } from '../geometry/camera.svelte';
import { bench } from '../state/bench.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import type { LandingTold } from '../types/LandingTold';
import type { InHand, Tool } from './tool';
import { trail } from './trail';

type G = CanvasRenderingContext2D;

/** Where it will land once that is known, else its trail. */
function draw(hand: InHand) {
    const { landing } = probe;
    if (!landing) return trail(hand, { colour: '#2F5D50', width: 3, dash: [0.1, 6] });
    hand.onSheet(() => seamToBe(hand.g, new Path2D(landing.path), hand.camera.scale));
    landings(hand.g, hand.camera, landing);
}

/** A seam as it will be when it is let go. */
function seamToBe(g: G, path: Path2D, scale: number) {
    g.lineCap = 'round';
    for (const [width, colour] of [
        [5, '#F7F2E6'],
        [2.5, '#2F5D50'],
    ] as const) {
        g.lineWidth = width / scale;
        g.strokeStyle = colour;
        g.setLineDash(width < 4 ? [6 / scale, 4 / scale] : []);
        g.stroke(path);
    }
    g.setLineDash([]);
}

/** Where a seam's ends land: a full dot on a line, a hollow one where there is none to reach. */
function landings(g: G, camera: Camera, told: LandingTold) {
    told.ends.forEach((end, i) => {
        const [x, y] = camera.toScreen(end);
        g.beginPath();
        g.arc(x, y, 7, 0, 7);
        g.fillStyle = told.meets[i] ? '#2F5D50' : '#F7F2E6';
        g.fill();
        g.lineWidth = 2.5;
        g.strokeStyle = told.meets[i] ? '#F7F2E6' : '#CB4B36';
        g.stroke();
    });
}

export const seam: Tool = {
    id: 'seam',
    name: 'Seam',
    help: 'Draw a boundary without ink, straight with Shift; its ends reach the nearest lines',
    icon: Spline,
    cursor: 'crosshair',
    held: (start, here) => [start, here],
    straightens: true,
    grows: (stroke) => void probe.land(stroke),
    use: ({ path, still }) => still || path.length < 2 || sheet.do({ of: 'join', do: 'seam', path }),
    draw,
    drawsOn: () => ({ places: (probe.landing?.ends ?? []).map((p) => bench.camera.toScreen(p)) }),
};
