/** Where the sheet is seen from: screen = (sheet - centre) * scale + middle of the canvas. */
import type { Pt } from '../types/Pt';
import type { Box } from './box';

export class Camera {
    x = $state(0);
    y = $state(0);
    /** Screen pixels (CSS) for one pixel of the sheet. */
    scale = $state(1);
    width = $state(1);
    height = $state(1);
    #glide = 0;

    toScreen(p: Pt): Pt {
        return [(p[0] - this.x) * this.scale + this.width / 2, (p[1] - this.y) * this.scale + this.height / 2];
    }

    toSheet(p: Pt): Pt {
        return [(p[0] - this.width / 2) / this.scale + this.x, (p[1] - this.height / 2) / this.scale + this.y];
    }

    /** The part of the sheet that is in view. */
    box(): Box {
        return [...this.toSheet([0, 0]), ...this.toSheet([this.width, this.height])];
    }

    /**
     * Puts a context on the sheet: its units are the sheet's pixels. `ratio`: of its pixels to the screen's; `left`, `top`:
     * where its canvas lies in the view.
     */
    onto(g: CanvasRenderingContext2D, ratio: number, left = 0, top = 0) {
        const s = this.scale * ratio;
        const x = (this.width / 2 - this.x * this.scale - left) * ratio;
        const y = (this.height / 2 - this.y * this.scale - top) * ratio;
        g.setTransform(s, 0, 0, s, x, y);
    }

    fit(width: number, height: number, margin = 48) {
        cancelAnimationFrame(this.#glide);
        this.x = width / 2;
        this.y = height / 2;
        this.scale = Math.min((this.width - 2 * margin) / width, (this.height - 2 * margin) / height);
    }

    /** Zooms by a factor; what is under the pointer stays there. */
    zoom(by: number, at: Pt = [this.width / 2, this.height / 2]) {
        cancelAnimationFrame(this.#glide);
        const before = this.toSheet(at);
        this.scale = Math.min(32, Math.max(0.02, this.scale * by));
        const after = this.toSheet(at);
        this.x += before[0] - after[0];
        this.y += before[1] - after[1];
    }

    pan(dx: number, dy: number) {
        cancelAnimationFrame(this.#glide);
        this.x -= dx / this.scale;
        this.y -= dy / this.scale;
    }

    /** From where a place is near enough to be judged; `null`: from here. */
    whence(a: Pt, b: Pt): { x: number; y: number; scale: number } | null {
        const middle: Pt = [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2];
        const [sx, sy] = this.toScreen(middle);
        const near = this.scale >= 0.6;
        const seen = sx > 140 && sx < this.width - 140 && sy > 120 && sy < this.height - 170;
        return near && seen ? null : { x: middle[0], y: middle[1], scale: near ? this.scale : 0.9 };
    }

    /** Brings a place into view, near enough to judge it. */
    bring(a: Pt, b: Pt) {
        const to = this.whence(a, b);
        if (!to) return;
        const from = { x: this.x, y: this.y, scale: this.scale };
        const calm = matchMedia('(prefers-reduced-motion: reduce)').matches;
        const start = performance.now();
        const step = () => {
            const t = calm ? 1 : Math.min(1, (performance.now() - start) / 140);
            const s = t * t * (3 - 2 * t);
            this.x = from.x + (to.x - from.x) * s;
            this.y = from.y + (to.y - from.y) * s;
            this.scale = from.scale * Math.pow(to.scale / from.scale, s);
            if (t < 1) this.#glide = requestAnimationFrame(step);
        };
        cancelAnimationFrame(this.#glide);
        step();
    }
}
