/** All that lies within an outline cut out. */
import LassoSelect from '@lucide/svelte/icons/lasso-select';
import { along } from '../drawn/marks';
import { bench } from '../state/bench.svelte';
import { held } from '../state/held.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';
import type { InHand, Stroke, Tool } from './tool';

/** An outline that gets no farther than this is none, px of the screen. */
const LEAST = 6;

function cutOut({ path, from }: Stroke) {
    // An outline ends where it began.
    const far = (p: Pt) => Math.hypot(p[0] - from[0], p[1] - from[1]) * bench.camera.scale > LEAST;
    if (!path.some(far)) return;
    if (bench.station !== 'draw' || !bench.cutLoose)
        return sheet.do({ of: 'join', do: 'cut', outline: path, ends: bench.cutEnds, loose: false });
    return held.cutLoose(path);
}

/** All within a dashed outline, washed over. */
export function washed({ g, camera, stroke: outline }: InHand) {
    g.save();
    g.beginPath();
    along(
        g,
        outline.map((p) => camera.toScreen(p)),
    );
    g.closePath();
    g.fillStyle = 'rgba(106, 74, 128, 0.16)';
    g.fill('evenodd');
    g.lineJoin = 'round';
    for (const [width, colour, dash] of [
        [4, '#F7F2E6', []],
        [2, '#6A4A80', [8, 4]],
    ] as const) {
        g.lineWidth = width;
        g.strokeStyle = colour;
        g.setLineDash([...dash]);
        g.stroke();
    }
    g.restore();
}

export const cut: Tool = {
    id: 'cut',
    name: 'Cut out',
    help: 'Draw around what is to go, a box with Shift: lines are cut where it passes',
    icon: LassoSelect,
    cursor: 'crosshair',
    held: (start, here) => bench.camera.between(start, here),
    use: cutOut,
    draw: washed,
};
