/**
 * What follows the pointer: the stroke of the tool in hand, the brush's rim, corners being moved. It lies on a canvas of
 * its own, no larger than it must be: moving it costs nothing of the picture under it, and the browser composes only its
 * part of the view.
 */
import { untrack } from 'svelte';
import { bench } from '../state/bench.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import type { Pt } from '../types/Pt';
import { around, type Box } from './box';
import * as overlays from './overlays';

/** How far it is drawn beyond its points, and in what steps its canvas grows, px of the screen. */
const MARGIN = 16;
const STEP = 64;

const isAcross = (tool: string) => tool === 'level' || tool === 'crop' || tool === 'marks';

export class InHand {
    /** The stroke being drawn, in sheet pixels. */
    stroke = $state<Pt[]>([]);
    /** Where the pointer is, on the screen. */
    hover = $state<Pt | null>(null);
    #frame = 0;

    /** Draws on a canvas whatever is in hand, from the component that holds it on. `ratio`: of its pixels to the screen's. */
    follow(canvas: () => HTMLCanvasElement | undefined, ratio: () => number) {
        $effect(() => {
            const { camera } = bench;
            void [camera.x, camera.y, camera.scale, camera.width, camera.height, ratio(), sheet.view, this.stroke];
            void [bench.station, bench.tool, bench.corners, bench.squaring, probe.landing];
            void [JSON.stringify(bench.brush), bench.paints ? this.hover : null];
            this.#frame ||= requestAnimationFrame(() => {
                this.#frame = 0;
                const on = canvas();
                if (on) untrack(() => this.#draw(on, ratio()));
            });
        });
    }

    /** The part of the view that it is drawn on, `null` if there is nothing. */
    #box(): Box | null {
        if (!sheet.view) return null;
        const { camera, tool, paints } = bench;
        const whole: Box = [0, 0, camera.width, camera.height];
        if (bench.station === 'intake') {
            return bench.squaring || (this.stroke.length > 0 && isAcross(tool)) ? whole : null;
        }
        const points = this.stroke.map((p) => camera.toScreen(p));
        if (paints && this.hover) points.push(this.hover);
        if (points.length < (paints ? 1 : 2)) return null;
        if (tool === 'seam' && probe.landing) points.push(...probe.landing.ends.map((p) => camera.toScreen(p)));
        const margin = MARGIN + (paints ? (bench.brush.size * camera.scale) / 2 : 0);
        const [x0, y0, x1, y1] = points.map(([x, y]): Box => [x, y, x, y]).reduce(around);
        const [left, top] = [Math.max(0, Math.floor(x0 - margin)), Math.max(0, Math.floor(y0 - margin))];
        const [right, low] = [Math.min(camera.width, x1 + margin), Math.min(camera.height, y1 + margin)];
        return left < right && top < low ? [left, top, right, low] : null;
    }

    #draw(canvas: HTMLCanvasElement, ratio: number) {
        const g = canvas.getContext('2d');
        const box = this.#box();
        canvas.hidden = box === null;
        if (!g || !box) return;
        const [left, top, right, low] = box;
        const size = (n: number) => Math.ceil(n / STEP) * STEP;
        const [width, height] = [size(right - left), size(low - top)];
        if (canvas.width !== Math.round(width * ratio) || canvas.height !== Math.round(height * ratio)) {
            canvas.width = Math.round(width * ratio);
            canvas.height = Math.round(height * ratio);
            canvas.style.width = `${width}px`;
            canvas.style.height = `${height}px`;
        }
        canvas.style.transform = `translate(${left}px, ${top}px)`;
        g.setTransform(ratio, 0, 0, ratio, -left * ratio, -top * ratio);
        g.clearRect(left, top, width, height);
        this.#drawOn(g, ratio, left, top);
    }

    /** Draws it on a canvas that lies at a place of the view. */
    #drawOn(g: CanvasRenderingContext2D, ratio: number, left: number, top: number) {
        const { stroke } = this;
        const [from, to] = [stroke[0], stroke[stroke.length - 1]];
        const { camera, tool, paints } = bench;
        if (bench.station === 'intake') {
            if (bench.squaring && bench.corners) overlays.cornerHandles(g, camera, bench.corners);
            else if (from && to && (tool === 'level' || tool === 'crop' || tool === 'marks'))
                overlays.intakeStroke(g, camera, tool, from, to);
        } else if (paints) overlays.brushInHand(g, camera, stroke, this.hover, bench.brush, paints);
        else if (tool === 'seam' && probe.landing) {
            g.save();
            camera.onto(g, ratio, left, top);
            overlays.seamToBe(g, new Path2D(probe.landing.path), camera.scale);
            g.restore();
            overlays.landings(g, camera, probe.landing);
        } else if (tool === 'cut') overlays.cutOut(g, camera, stroke);
        else overlays.strokeInHand(g, camera, stroke, tool);
    }
}
