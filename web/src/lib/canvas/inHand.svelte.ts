/**
 * What follows the pointer: the stroke of the tool in hand, the brush's rim, corners being moved. It lies on a canvas of
 * its own, no larger than it must be: moving it costs nothing of the picture under it, and the browser composes only its
 * part of the view.
 */
import { untrack } from 'svelte';
import { bench } from '../state/bench.svelte';
import { probe } from '../state/probe.svelte';
import { clicked } from '../state/clicked.svelte';
import { sheet } from '../state/sheet.svelte';
import { held } from '../state/held.svelte';
import { points } from '../state/points.svelte';
import { tried } from '../state/tried.svelte';
import { toolOf } from '../tools';
import type { How } from '../tools/tool';
import type { Pt } from '../types/Pt';
import type { Sample } from '../types/Sample';
import { type Box, boxOf } from '../geometry/box';

/** How far it is drawn beyond its points, and in what steps its canvas grows, px of the screen. */
const MARGIN = 16;
const STEP = 64;
/** How many frames are measured before what was is let go. */
const MEASURED = 2000;

export class InHand {
    /** The stroke being drawn, in sheet pixels. */
    stroke = $state.raw<Pt[]>([]);
    /** The same as the device told it. */
    samples = $state.raw<Sample[]>([]);
    /** Where the device will be by the time a frame is shown, as the browser foresees it: drawn, and never kept. */
    ahead = $state.raw<Sample[]>([]);
    how = $state.raw<How>({ inSteps: false, fromCentre: false });
    /** Where the pointer is, on the screen. */
    hover = $state<Pt | null>(null);
    /** When the pointer moved last, of what is not drawn yet; 0: all is. */
    movedAt = 0;
    #measured = 0;
    #frame = 0;

    /** Draws on a canvas whatever is in hand, from the component that holds it on. `ratio`: of its pixels to the screen's. */
    follow(canvas: () => HTMLCanvasElement | undefined, ratio: () => number) {
        $effect(() => {
            const { camera } = bench;
            void [camera.x, camera.y, camera.scale, camera.turn, camera.mirrored, camera.width, camera.height];
            void [ratio(), sheet.view, this.stroke, this.ahead];
            void [bench.station, bench.tool, bench.corners, bench.squaring, probe.landing];
            void [JSON.stringify(bench.brush), bench.paints || toolOf(bench.tool).follows ? this.hover : null];
            void [
                bench.chosen,
                points.line,
                clicked.points,
                tried.told,
                held.next,
                held.pivot,
                held.copies,
                held.turns,
                this.how,
            ];
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
        const { camera } = bench;
        const tool = toolOf(bench.tool);
        const on = tool.drawsOn?.() ?? null;
        const more = on !== null && on !== 'all' ? on : {};
        const follows = more.around !== undefined;
        const others = more.places ?? [];
        if (on === 'all')
            return tool.handles || tool.always?.() || this.stroke.length > 0
                ? [0, 0, camera.width, camera.height]
                : null;
        const points = [...this.stroke, ...this.ahead.map(([x, y]): Pt => [x, y])].map((p) => camera.toScreen(p));
        if (follows && this.hover) points.push(this.hover);
        if (points.length < (follows ? 1 : 2) && !(follows && others.length > 0)) return null;
        points.push(...others);
        const margin = MARGIN + (more.around ?? 0);
        const [x0, y0, x1, y1] = boxOf(points);
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
        const { camera } = bench;
        const onSheet = (draw: () => void) => {
            g.save();
            camera.onto(g, ratio, left, top);
            draw();
            g.restore();
        };
        const { stroke, samples, ahead, hover, how } = this;
        toolOf(bench.tool).draw?.({ g, camera, stroke, samples, ahead, hover, how, onSheet });
        if (this.movedAt > 0) {
            // Somebody draws all day: what was measured long ago is let go.
            if (++this.#measured % MEASURED === 0) performance.clearMeasures('pen to ink');
            performance.measure('pen to ink', { start: this.movedAt });
        }
        this.movedAt = 0;
    }
}
