/** Regions on the sheet: their paint, and what is unpainted. */
import { bench } from '../state/bench.svelte';
import { findings } from '../state/findings.svelte';
import { shots } from '../state/shots.svelte';
import type { Shown } from '../state/shown';
import type { Box } from '../geometry/box';
import { hatching } from '../drawn/marks';
import { pathOf } from '../drawn/paths';

type G = CanvasRenderingContext2D;

/** Paints the regions that reach into a box; at Paint those that are empty are hatched. */
export function paintRegions(g: G, view: Shown, box: Box) {
    if (bench.station !== 'paint' && view.info.progress.painted === 0) return;
    const hatch = bench.station === 'paint' ? hatching('#CB4B36') : null;
    hatch?.setTransform(new DOMMatrix().scale(1 / bench.camera.scale));
    const left = new Set(findings.left.map((f) => f.region));
    for (const r of view.regions.within(box)) {
        const fill = r.swatch ? shots.colours.get(r.swatch) : undefined;
        if (!fill && !hatch) continue;
        const path = pathOf(r);
        if (fill) {
            g.fillStyle = fill;
            g.fill(path, 'evenodd');
            // Two fills that meet under a line would let a hair of the backdrop through.
            g.strokeStyle = fill;
            g.lineWidth = 1;
            g.stroke(path);
        } else if (hatch && !left.has(r.id)) {
            g.fillStyle = hatch;
            g.fill(path, 'evenodd');
        }
    }
}
