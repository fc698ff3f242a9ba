/** The points and handles of a line, set by hand. */
import Waypoints from '@lucide/svelte/icons/waypoints';
import { pathOf } from '../drawn/paths';
import { lineAt } from '../drawn/under';
import { divided, dragged, isSmooth, joined, nearestOn, turned } from '../geometry/chain';
import { bench } from '../state/bench.svelte';
import { type Chain, points } from '../state/points.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';
import type { InHand, Stroke, Tool } from './tool';

/** How near a point must be to be taken, and the line to get another one, px of the screen. */
const GRASP = 10;
const NEAR = 8;

/** The handles of joints up to so far from the pointer are shown, px of the screen: those of all would hide the line. */
const SHOWN = 70;

const jointOf = (k: number) => (k % 3 === 0 ? k : k % 3 === 1 ? k - 1 : k + 1);

/** Whether the handle of a joint is shown for a pointer at a place of the sheet. */
function isShown(list: Pt[], k: number, at: Pt | null): boolean {
    const joint = list[jointOf(k)];
    if (k % 3 === 0 || !joint || !at) return k % 3 === 0;
    return Math.hypot(joint[0] - at[0], joint[1] - at[1]) * bench.camera.scale < SHOWN;
}

/** What lies at a place: a joint before a handle. */
function pointAt(p: Pt): { chain: Chain; k: number } | null {
    let best: { chain: Chain; k: number; far: number } | null = null;
    for (const chain of points.chains) {
        chain.points.forEach((q, k) => {
            if (!isShown(chain.points, k, p)) return;
            const far = Math.hypot(q[0] - p[0], q[1] - p[1]) * bench.camera.scale + (k % 3 === 0 ? 0 : 2);
            if (far < GRASP && far < (best?.far ?? Infinity)) best = { chain, k, far };
        });
    }
    return best;
}

async function use({ from, to, still, how }: Stroke) {
    const hit = pointAt(from);
    if (!still) {
        if (hit) await points.set(hit.chain, dragged(hit.chain.points, hit.k, to, hit.chain.closed, bench.free));
        return;
    }
    if (hit && hit.k % 3 === 0) {
        const { chain, k } = hit;
        if (how.fromCentre) {
            const left = joined(chain.points, k, chain.closed);
            if (left) await points.set(chain, left);
        } else if (how.inSteps) await points.set(chain, turned(chain.points, k, chain.closed));
        return;
    }
    if (hit) return;
    const near = points.chains
        .map((chain) => ({ chain, on: nearestOn(chain.points, to) }))
        .sort((a, b) => a.on.far - b.on.far)[0];
    if (near && near.on.far * bench.camera.scale < NEAR) {
        await points.set(near.chain, divided(near.chain.points, near.on.n, near.on.t));
        return;
    }
    const line = lineAt(to, NEAR / bench.camera.scale, () => true);
    bench.chosen = line ? [line.id] : [];
    await points.take(line?.id ?? null);
}

function drawChain({ g, camera, hover }: InHand, list: Pt[], closed: boolean) {
    const at = list.map((p) => camera.toScreen(p));
    const pointer = hover ? camera.toSheet(hover) : null;
    g.lineWidth = 1.2;
    g.strokeStyle = '#2F5D50';
    g.beginPath();
    at.forEach(([x, y], k) => {
        const joint = at[k % 3 === 1 ? k - 1 : k + 1];
        if (k % 3 === 0 || !joint || !isShown(list, k, pointer)) return;
        g.moveTo(x, y);
        g.lineTo(joint[0], joint[1]);
    });
    g.stroke();
    at.forEach(([x, y], k) => {
        if ((closed && k === at.length - 1) || !isShown(list, k, pointer)) return;
        g.beginPath();
        if (k % 3 !== 0) {
            g.arc(x, y, 3.5, 0, 2 * Math.PI);
            g.fillStyle = '#fffdf7';
        } else if (isSmooth(list, k, closed)) {
            const next = at[k + 1] ?? at[k - 1]!;
            g.ellipse(x, y, 5.5, 3, Math.atan2(next[1] - y, next[0] - x), 0, 2 * Math.PI);
            g.fillStyle = '#DE9F27';
        } else {
            g.arc(x, y, 4.5, 0, 2 * Math.PI);
            g.fillStyle = '#DE9F27';
        }
        g.fill();
        g.strokeStyle = k % 3 === 0 ? '#2a2822' : '#2F5D50';
        g.stroke();
        if (k % 3 !== 0 || isSmooth(list, k, closed)) return;
        // A corner is a bud with a pit.
        g.beginPath();
        g.arc(x, y, 1.8, 0, 2 * Math.PI);
        g.fillStyle = '#2a2822';
        g.fill();
    });
}

function draw(hand: InHand) {
    const { g, camera, stroke, hover, onSheet } = hand;
    const [from, to] = [stroke[0], stroke[stroke.length - 1]];
    const hit = from && to && stroke.length > 1 ? pointAt(from) : null;
    if (points.chains.length === 0 && hover) {
        const line = lineAt(camera.toSheet(hover), NEAR / camera.scale, () => true);
        if (!line) return;
        onSheet(() => {
            g.strokeStyle = '#de9f27';
            g.lineWidth = 2 / camera.scale;
            g.stroke(pathOf(line));
        });
    }
    for (const chain of points.chains) {
        const moved = hit && to && hit.chain.ring === chain.ring;
        const list = moved ? dragged(chain.points, hit.k, to, chain.closed, bench.free) : chain.points;
        onSheet(() => {
            g.beginPath();
            g.moveTo(...list[0]!);
            for (let k = 1; k + 2 < list.length; k += 3) g.bezierCurveTo(...list[k]!, ...list[k + 1]!, ...list[k + 2]!);
            for (const [width, colour] of [
                [3, '#fffdf7'],
                [1.5, '#B87A10'],
            ] as const) {
                g.lineWidth = width / camera.scale;
                g.strokeStyle = colour;
                g.stroke();
            }
        });
        drawChain(hand, list, chain.closed);
    }
}

/** Shows the points of what is in hand, as it is now. */
export function follow() {
    const [id] = bench.chosen;
    const one = bench.tool === 'points' && bench.chosen.length === 1 && id !== undefined && sheet.view?.lines.get(id);
    if (!one) void points.take(null);
    else if (points.line?.id !== id || points.chains.length === 0) void points.take(id);
}

export const pointsTool: Tool = {
    id: 'points',
    name: 'Points',
    help: 'Click a line for its points; drag them, click the line for another one',
    icon: Waypoints,
    cursor: 'crosshair',
    follows: true,
    held: (start, here) => [start, here],
    use,
    draw,
    drawsOn: () => 'all',
    always: () => true,
};
