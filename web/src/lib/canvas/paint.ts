/**
 * Regions on the sheet: their paint, and what is unpainted. They are drawn on a layer of their own, which is kept: after a
 * step only what it changed is painted again, however much of the canvas is.
 */
import { bench } from '../state/bench.svelte';
import { findings } from '../state/findings.svelte';
import { shots } from '../state/shots.svelte';
import type { Shown } from '../state/shown';
import { around, type Box } from '../geometry/box';
import { hatching } from '../drawn/marks';
import { pathOf } from '../drawn/paths';

type G = CanvasRenderingContext2D;

/** How far a region's edge is drawn beyond it, pixels of the screen. */
const EDGE = 2;
/** What is smaller than this on the screen has no room for hatching, pixels. */
const HATCHED = 8;

export class PaintLayer {
    readonly #canvas = document.createElement('canvas');
    /** What is to be painted again: all, or what lies in a box of the sheet. */
    #stale: Box | 'all' | null = 'all';
    /** The unpainted regions that are left so. */
    #left = new Set<number | null>();

    /** Something changed in a part of the sheet. */
    mend(part: Box | 'all' | null) {
        if (part === 'all') this.#stale = 'all';
        else if (part && this.#stale !== 'all') this.#stale = around(this.#stale, part);
    }

    /** Draws the layer on a canvas that is as large, after what changed was painted on it. */
    drawOn(g: G, view: Shown, ratio: number) {
        if (bench.station !== 'paint' && view.info.progress.painted === 0) return;
        this.#bringUp(g.canvas, view, ratio);
        g.save();
        g.resetTransform();
        g.drawImage(this.#canvas, 0, 0);
        g.restore();
    }

    #bringUp({ width, height }: HTMLCanvasElement, view: Shown, ratio: number) {
        const { camera } = bench;
        if (this.#canvas.width !== width || this.#canvas.height !== height) {
            [this.#canvas.width, this.#canvas.height] = [width, height];
            this.#stale = 'all';
        }
        const left = new Set(findings.left.map((f) => f.region));
        if (left.size !== this.#left.size || [...left].some((r) => !this.#left.has(r))) this.#stale = 'all';
        this.#left = left;
        const g = this.#canvas.getContext('2d');
        const stale = this.#stale;
        if (!g || !stale) return;
        this.#stale = null;
        const seen: Box = [0, 0, camera.width, camera.height];
        const [x0, y0, x1, y1] = stale === 'all' ? seen : camera.boxOnScreen(stale);
        const part: Box = [
            Math.max(0, Math.floor(x0 - EDGE)),
            Math.max(0, Math.floor(y0 - EDGE)),
            Math.min(camera.width, Math.ceil(x1 + EDGE)),
            Math.min(camera.height, Math.ceil(y1 + EDGE)),
        ];
        if (part[0] >= part[2] || part[1] >= part[3]) return;
        g.save();
        g.setTransform(ratio, 0, 0, ratio, 0, 0);
        g.beginPath();
        g.rect(part[0], part[1], part[2] - part[0], part[3] - part[1]);
        g.clip();
        g.clearRect(part[0], part[1], part[2] - part[0], part[3] - part[1]);
        camera.onto(g, ratio);
        this.#paint(g, view, camera.boxOnSheet(part));
        g.restore();
    }

    /** Paints the regions that reach into a box; at Paint those that are empty are hatched. */
    #paint(g: G, view: Shown, box: Box) {
        const { scale } = bench.camera;
        const hatch = bench.station === 'paint' ? hatching('#CB4B36') : null;
        hatch?.setTransform(new DOMMatrix().scale(1 / scale));
        for (const r of view.regions.within(box)) {
            const fill = r.swatch ? shots.colours.get(r.swatch) : undefined;
            if (fill) {
                const path = pathOf(r);
                g.fillStyle = fill;
                g.fill(path, 'evenodd');
                // Two fills that meet under a line would let a hair of the backdrop through.
                g.strokeStyle = fill;
                g.lineWidth = 1;
                g.stroke(path);
            } else if (hatch && !this.#left.has(r.id)) {
                const [x0, y0, x1, y1] = r.bounds;
                if (scale * Math.max(x1 - x0, y1 - y0) < HATCHED) continue;
                g.fillStyle = hatch;
                g.fill(pathOf(r), 'evenodd');
            }
        }
    }
}
