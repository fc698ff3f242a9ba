/**
 * Where the sheet is seen from: screen = M (sheet - centre) + middle of the canvas. M scales, turns and, where the view is
 * mirrored, has left and right change places; the drawing itself stays as it is.
 */
import type { Pt } from '../types/Pt';
import { type Box, boxOf, cornersOf } from './box';
import { STEP } from './steps';

/** A view within this of level, upright or upside down is taken for it, radians. */
const ALMOST_LEVEL = (4 * Math.PI) / 180;
const RIGHT_ANGLE = Math.PI / 2;

/** How something lies: moved by so many px of the sheet, turned by an angle from +x to +y, radians. */
export interface Laid {
    x: number;
    y: number;
    angle: number;
}

export class Camera {
    x = $state(0);
    y = $state(0);
    /** Screen pixels (CSS) for one pixel of the sheet. */
    scale = $state(1);
    /** How far the view is turned, clockwise on the screen, radians between -pi and pi. */
    turn = $state(0);
    mirrored = $state(false);
    width = $state(1);
    height = $state(1);
    #glide = 0;
    /** M, by rows. */
    readonly #m = $derived.by(() => {
        const [cos, sin] = [this.scale * Math.cos(this.turn), this.scale * Math.sin(this.turn)];
        const side = this.mirrored ? -1 : 1;
        return [side * cos, -sin, side * sin, cos] as const;
    });

    /** Whether the sheet's sides lie along the screen's. */
    get isUpright() {
        return this.turn === 0 && !this.mirrored;
    }

    /** The way on the screen of a way on the sheet. */
    wayOnScreen([x, y]: Pt): Pt {
        const [a, b, d, e] = this.#m;
        return [a * x + b * y, d * x + e * y];
    }

    toScreen(p: Pt): Pt {
        const [x, y] = this.wayOnScreen([p[0] - this.x, p[1] - this.y]);
        return [x + this.width / 2, y + this.height / 2];
    }

    toSheet(p: Pt): Pt {
        const [x, y] = this.#wayOnSheet([p[0] - this.width / 2, p[1] - this.height / 2]);
        return [x + this.x, y + this.y];
    }

    #wayOnSheet([x, y]: Pt): Pt {
        const [a, b, d, e] = this.#m;
        const s2 = this.scale * this.scale;
        return [(a * x + d * y) / s2, (b * x + e * y) / s2];
    }

    /** The corners on the screen of a box of the sheet, in turn. */
    corners(box: Box): Pt[] {
        return cornersOf(box).map((p) => this.toScreen(p));
    }

    /** The corners on the sheet, in turn, of the box that lies between two of its places on the screen. */
    between(from: Pt, to: Pt): Pt[] {
        const [[ax, ay], [bx, by]] = [this.toScreen(from), this.toScreen(to)];
        return [from, this.toSheet([bx, ay]), to, this.toSheet([ax, by])];
    }

    /** The box of the screen that holds a box of the sheet. */
    boxOnScreen(box: Box): Box {
        return boxOf(this.corners(box));
    }

    /** The box of the sheet that holds a box of the screen. */
    boxOnSheet(box: Box): Box {
        return boxOf(cornersOf(box).map((p) => this.toSheet(p)));
    }

    /** The box of the sheet that holds all that is in view. */
    box(): Box {
        return this.boxOnSheet([0, 0, this.width, this.height]);
    }

    /**
     * Puts a context on the sheet: its units are the sheet's pixels. `ratio`: of its pixels to the screen's; `left`, `top`:
     * where its canvas lies in the view.
     */
    onto(g: CanvasRenderingContext2D, ratio: number, left = 0, top = 0) {
        const [a, b, d, e] = this.#m;
        const [x, y] = this.toScreen([0, 0]);
        g.setTransform(a * ratio, d * ratio, b * ratio, e * ratio, (x - left) * ratio, (y - top) * ratio);
    }

    /** Turns the view; what is at a place of the screen stays there. */
    turnBy(angle: number, at: Pt = [this.width / 2, this.height / 2]) {
        this.#keeping(at, () => {
            const turn = this.turn + angle;
            this.turn = Math.atan2(Math.sin(turn), Math.cos(turn));
        });
    }

    /** Turns the view on to the next step, clockwise or (-1) back. */
    turnInSteps(way: 1 | -1) {
        const steps = this.turn / STEP;
        const next = way > 0 ? Math.floor(steps + 1e-6) + 1 : Math.ceil(steps - 1e-6) - 1;
        this.turnBy(next * STEP - this.turn);
    }

    /** Sets a view straight that is almost level, upright or upside down. */
    settle(at: Pt) {
        const straight = Math.round(this.turn / RIGHT_ANGLE) * RIGHT_ANGLE;
        if (Math.abs(straight - this.turn) < ALMOST_LEVEL) this.turnBy(straight - this.turn, at);
    }

    /** Mirrors what is seen about the middle of the view. */
    mirror() {
        cancelAnimationFrame(this.#glide);
        [this.turn, this.mirrored] = [-this.turn, !this.mirrored];
    }

    /** Has the sheet lie as it is, about the middle of the view. */
    level() {
        cancelAnimationFrame(this.#glide);
        [this.turn, this.mirrored] = [0, false];
    }

    /** Changes the view so that what is at a place of the screen stays there. */
    #keeping(at: Pt, change: () => void) {
        cancelAnimationFrame(this.#glide);
        const before = this.toSheet(at);
        change();
        const after = this.toSheet(at);
        this.x += before[0] - after[0];
        this.y += before[1] - after[1];
    }

    fit(width: number, height: number, margin = 48) {
        cancelAnimationFrame(this.#glide);
        this.x = width / 2;
        this.y = height / 2;
        const [cos, sin] = [Math.abs(Math.cos(this.turn)), Math.abs(Math.sin(this.turn))];
        const [across, down] = [width * cos + height * sin, width * sin + height * cos];
        this.scale = Math.min((this.width - 2 * margin) / across, (this.height - 2 * margin) / down);
    }

    /** Zooms by a factor; what is under the pointer stays there. */
    zoom(by: number, at: Pt = [this.width / 2, this.height / 2]) {
        this.#keeping(at, () => (this.scale = Math.min(32, Math.max(0.02, this.scale * by))));
    }

    pan(dx: number, dy: number) {
        cancelAnimationFrame(this.#glide);
        const [x, y] = this.#wayOnSheet([dx, dy]);
        this.x -= x;
        this.y -= y;
    }

    /** From where something is seen the same that is turned about a place of its own and then moved, before it is laid down. */
    laid({ x, y, angle }: Laid, about: Pt): Camera {
        const c = new Camera();
        const [u, v] = [about[0] + x - this.x, about[1] + y - this.y];
        const [cos, sin] = [Math.cos(angle), Math.sin(angle)];
        [c.x, c.y] = [about[0] - (cos * u + sin * v), about[1] - (cos * v - sin * u)];
        [c.width, c.height, c.scale, c.mirrored] = [this.width, this.height, this.scale, this.mirrored];
        c.turn = this.turn + (this.mirrored ? -angle : angle);
        return c;
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
