/** The paper's four corners on the original, moved by handles. */
import Scan from '@lucide/svelte/icons/scan';
import { along } from '../drawn/marks';
import type { Camera } from '../geometry/camera.svelte';
import { bench } from '../state/bench.svelte';
import type { Pt } from '../types/Pt';
import type { Tool } from './tool';

type G = CanvasRenderingContext2D;

/** The quadrilateral of the paper's corners with a handle at each. */
function cornerHandles(g: G, camera: Camera, corners: Pt[]) {
    const at = corners.map((c) => camera.toScreen(c));
    g.save();
    g.beginPath();
    along(g, at);
    g.closePath();
    g.strokeStyle = '#ffffff';
    g.lineWidth = 4;
    g.stroke();
    g.strokeStyle = '#2f5d50';
    g.lineWidth = 2;
    g.stroke();
    for (const [x, y] of at) {
        g.beginPath();
        g.arc(x, y, 10, 0, 7);
        g.fillStyle = '#de9f27';
        g.fill();
        g.strokeStyle = '#2a2822';
        g.stroke();
    }
    g.restore();
}

export const corners: Tool = {
    id: 'corners',
    name: 'Corners',
    help: 'Put four handles on the paper’s corners',
    icon: Scan,
    cursor: 'crosshair',
    pans: true,
    handles: {
        at: () => (bench.squaring ? (bench.corners ?? []) : []),
        move: (n, to) => (bench.corners = (bench.corners ?? []).map((c, i) => (i === n ? to : c))),
    },
    draw: ({ g, camera }) => bench.squaring && bench.corners && cornerHandles(g, camera, bench.corners),
    drawsOn: () => (bench.squaring ? 'all' : null),
};
