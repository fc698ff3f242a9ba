/** Guides on the canvas: pulled from its edges, moved by one bead, turned by the other. */
import { inSteps } from '../geometry/steps';
import { aslant, throughBox } from '../geometry/straights';
import type { Box } from '../geometry/box';
import { bench } from '../state/bench.svelte';
import { type Guide, guides } from '../state/guides.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';

type G = CanvasRenderingContext2D;

/** How broad the edges are that guides are pulled from, px of the screen. */
const EDGE = 14;
/** Where the beads stand off the view's edges, and how near one is taken. */
const ASIDE = 44;
const GRASP = 12;
const COLOUR = '#B87A10';

/** What is dragged of a guide: its first bead, which moves it, or the second, which turns it about the first. */
export interface GuideGrip {
    n: number;
    bead: 'moves' | 'turns';
}

const areShown = () => bench.station === 'draw' && sheet.view !== null;

/** Where the two beads of a guide stand on the screen; `null`: it is out of view. */
function beadsOf({ at, angle }: Guide): readonly [Pt, Pt] | null {
    const { camera } = bench;
    const way = camera.wayOnScreen([Math.cos(angle) / camera.scale, Math.sin(angle) / camera.scale]);
    const room: Box = [EDGE + ASIDE, EDGE + ASIDE, camera.width - ASIDE, camera.height - 2 * ASIDE];
    return throughBox({ at: camera.toScreen(at), way }, room);
}

/** The edge of the view that a place lies on; `null`: none. */
export function edgeAt([x, y]: Pt): 'top' | 'left' | null {
    if (!areShown()) return null;
    return y < EDGE ? 'top' : x < EDGE ? 'left' : null;
}

/** What of a guide a place of the screen grasps, one pulled from an edge included. */
export function guideGripAt(at: Pt): GuideGrip | null {
    if (!areShown()) return null;
    const edge = edgeAt(at);
    if (edge) {
        // It is level or plumb as it is seen.
        const { camera } = bench;
        const [from, to] = [
            camera.toSheet(at),
            camera.toSheet(edge === 'top' ? [at[0] + 1, at[1]] : [at[0], at[1] + 1]),
        ];
        const n = guides.add({ at: from, angle: Math.atan2(to[1] - from[1], to[0] - from[0]) });
        return n === null ? null : { n, bead: 'moves' };
    }
    const near = (p: Pt) => Math.hypot(p[0] - at[0], p[1] - at[1]) < GRASP;
    for (const [n, guide] of guides.list.entries()) {
        const beads = beadsOf(guide);
        if (beads && near(beads[0])) return { n, bead: 'moves' };
        if (beads && near(beads[1])) return { n, bead: 'turns' };
    }
    return null;
}

/** Takes a guide along with the pointer; in steps it is turned to the next 15 degrees. */
export function dragGuide({ n, bead }: GuideGrip, at: Pt, isInSteps: boolean) {
    const guide = guides.list[n];
    if (!guide) return;
    const { camera } = bench;
    if (bead === 'moves') return guides.change(n, { ...guide, at: camera.toSheet(at) });
    const still = beadsOf(guide)?.[0];
    if (!still) return;
    const [[x, y], [u, v]] = [camera.toSheet(still), camera.toSheet(at)];
    const angle = Math.atan2(v - y, u - x);
    guides.change(n, { at: [x, y], angle: isInSteps ? inSteps(angle) : angle });
}

/** Lets go of a guide: over an edge of the view it is taken away. */
export function dropGuide({ n, bead }: GuideGrip, at: Pt) {
    const { camera } = bench;
    const isOut = at[0] < EDGE || at[1] < EDGE || at[0] > camera.width || at[1] > camera.height;
    if (bead === 'moves' && isOut) guides.remove(n);
}

/** Draws the guides, and the edges that they are pulled from, on the screen. */
export function drawGuides(g: G) {
    const { camera } = bench;
    g.save();
    g.fillStyle = '#2a282212';
    g.fillRect(0, 0, camera.width, EDGE);
    g.fillRect(0, EDGE, EDGE, camera.height);
    if (camera.isUpright) drawTicks(g);
    for (const guide of guides.list) {
        const whole = throughBox(
            aslant(guide.at, guide.angle),
            // Longer than what is seen of it.
            camera.boxOnSheet([0, 0, camera.width, camera.height]),
        );
        const beads = beadsOf(guide);
        if (!whole) continue;
        g.beginPath();
        g.moveTo(...camera.toScreen(whole[0]));
        g.lineTo(...camera.toScreen(whole[1]));
        g.lineWidth = 1;
        g.strokeStyle = COLOUR;
        g.setLineDash([14, 4, 2, 4]);
        g.stroke();
        g.setLineDash([]);
        for (const [k, [x, y]] of (beads ?? []).entries()) {
            g.beginPath();
            g.arc(x, y, 6, 0, 2 * Math.PI);
            g.fillStyle = k === 0 ? '#DE9F27' : '#fffdf7';
            g.fill();
            g.lineWidth = 2;
            g.strokeStyle = k === 0 ? '#2a2822' : COLOUR;
            g.stroke();
        }
    }
    g.restore();
}

/** A tick each 10 mm of the sheet along the edges, a longer one each 50. */
function drawTicks(g: G) {
    const { camera } = bench;
    const dpi = sheet.view?.dpi ?? 300;
    const step = (10 / 25.4) * dpi * camera.scale;
    const every = step < 5 ? 5 : 1;
    const [x0, y0] = camera.toScreen([0, 0]);
    g.beginPath();
    for (let k = Math.ceil(-x0 / step / every) * every; x0 + k * step < camera.width; k += every) {
        const x = Math.round(x0 + k * step) + 0.5;
        g.moveTo(x, EDGE);
        g.lineTo(x, k % 5 === 0 ? EDGE - 9 : EDGE - 5);
    }
    for (let k = Math.ceil(-y0 / step / every) * every; y0 + k * step < camera.height; k += every) {
        const y = Math.round(y0 + k * step) + 0.5;
        if (y < EDGE) continue;
        g.moveTo(EDGE, y);
        g.lineTo(k % 5 === 0 ? EDGE - 9 : EDGE - 5, y);
    }
    g.lineWidth = 1;
    g.strokeStyle = '#2a2822';
    g.globalAlpha = 0.45;
    g.stroke();
    g.globalAlpha = 1;
}
