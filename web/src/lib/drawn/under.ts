/** What lies under a place of the sheet. */
import { bench } from '../state/bench.svelte';
import { findings } from '../state/findings.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Finding } from '../types/Finding';
import type { LineView } from '../types/LineView';
import type { Pt } from '../types/Pt';
import type { RegionView } from '../types/RegionView';
import type { Camera } from '../geometry/camera.svelte';
import { markDistance } from './marks';
import { pathOf } from './paths';

/** A pen that draws nothing: it is only asked what a path holds. */
let asked: CanvasRenderingContext2D | null = null;
const pen = () => (asked ??= document.createElement('canvas').getContext('2d'));

export function regionAt(p: Pt): RegionView | undefined {
    const near = sheet.view?.regions.within([...p, ...p]) ?? [];
    return near.find((r) => pen()?.isPointInPath(pathOf(r), p[0], p[1], 'evenodd'));
}

/** The places of a stroke and between them, every few pixels of the screen: however fast it was, nothing is passed unseen. */
export function alongStroke(path: Pt[]): Pt[] {
    const step = 4 / bench.camera.scale;
    return path.flatMap((p, n) => {
        const from = path[n - 1] ?? p;
        const steps = Math.max(1, Math.ceil(Math.hypot(p[0] - from[0], p[1] - from[1]) / step));
        return Array.from({ length: steps }, (_, k): Pt => {
            const t = (k + 1) / steps;
            return [from[0] + t * (p[0] - from[0]), from[1] + t * (p[1] - from[1])];
        });
    });
}

/** The regions a stroke passes over, each once. */
export function regionsUnder(path: Pt[]): RegionView[] {
    const hit = new Map<number, RegionView>();
    for (const region of alongStroke(path).map(regionAt)) if (region) hit.set(region.id, region);
    return [...hit.values()];
}

/** The line of a kind that passes nearest to a place, no farther from it than so many px of the sheet. */
export function lineAt(p: Pt, reach: number, which: (l: LineView) => boolean): LineView | undefined {
    const g = pen();
    if (!g) return undefined;
    const near = (sheet.view?.lines.within([...p, ...p], reach) ?? []).filter(which);
    for (const share of [0.2, 0.45, 1]) {
        g.lineWidth = 2 * share * reach;
        const hit = near.find((l) => g.isPointInStroke(pathOf(l), p[0], p[1]));
        if (hit) return hit;
    }
    // Within a solid shape is on it.
    return near.find((l) => l.kind === 'outline' && g.isPointInPath(pathOf(l), p[0], p[1], 'evenodd'));
}

/** How near to a mark a click must be to take its finding, px of the screen. */
const GRASP = 26;

/** The finding whose mark is nearest to a place of the screen. */
export function findingAt(camera: Camera, at: Pt): Finding | undefined {
    const here = camera.toSheet(at);
    const marked = findings
        .near([...here, ...here], GRASP / camera.scale)
        .map((f) => ({ f, d: markDistance(camera, f, at) }));
    const nearest = marked.sort((a, b) => a.d - b.d)[0];
    return nearest && nearest.d < GRASP ? nearest.f : undefined;
}
