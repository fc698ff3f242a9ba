/** The live picture of the ink: what the settings in hand would give, for the part that is seen. */
import { glance, Refused } from '../api';
import type { Camera } from '../geometry/camera.svelte';
import { RUN, RunPicture } from './runs';
import type { GlanceTold } from '../types/GlanceTold';
import type { Inking } from '../types/Inking';
import type { TraceRecipe } from '../types/TraceRecipe';
import type { Window as SheetWindow } from '../types/Window';

export interface Wish {
    drawing: number;
    inking: Inking;
    window: SheetWindow;
    exact: boolean;
    /** What goes as pencil instead of the ink. */
    caught: boolean;
    /** The lines that tracing so would give, instead of the ink. */
    trace: TraceRecipe | null;
}

type Colour = readonly [number, number, number];

/**
 * What is seen of a sheet, in whole runs of its pixels at a level; `more`: the share of the view it reaches beyond each
 * side, so that panning has something to show.
 */
export function windowSeen(camera: Camera, of: { width: number; height: number }, level: number, more: number) {
    const k = RUN << level;
    const { width: w, height: h } = camera;
    const [x0, y0, x1, y1] = camera.boxOnSheet([-more * w, -more * h, (1 + more) * w, (1 + more) * h]);
    const x = Math.max(0, Math.floor(x0 / k) * k);
    const y = Math.max(0, Math.floor(y0 / k) * k);
    const width = Math.min(of.width, Math.ceil(x1 / k) * k) - x;
    const height = Math.min(of.height, Math.ceil(y1 / k) * k) - y;
    return { x, y, width, height, level };
}

/** Asks for one picture at a time; of the wishes made meanwhile only the last counts. */
export class Glance {
    told: GlanceTold | null = null;
    wish: Wish | null = null;
    #pixels: Uint8Array = new Uint8Array();
    #picture: RunPicture | null = null;
    /** The colour that is shown; none: the picture is to be made anew. */
    #colour: string | null = null;
    #next: { wish: Wish; since: number } | null = null;
    #asked = '';
    #busy = false;

    constructor(
        readonly changed: () => void,
        readonly heard: (told: GlanceTold | null, trouble: string | null) => void,
    ) {}

    /** `since`: when what is wished for was set, for measuring how long the picture took. */
    ask(wish: Wish, since: number) {
        const key = JSON.stringify(wish);
        if (key === this.#asked) return;
        this.#asked = key;
        this.#next = { wish, since };
        if (!this.#busy) void this.#run();
    }

    /** The picture in a colour; `null`: as drawn. Made anew only when either changes. */
    in(colour: Colour | null): HTMLCanvasElement | null {
        if (!this.told) return null;
        const name = String(colour);
        const picture = (this.#picture ??= new RunPicture());
        if (this.#colour !== name) {
            picture.show(this.told, this.#pixels, colour);
            this.#colour = name;
        }
        return picture.canvas;
    }

    async #run() {
        this.#busy = true;
        while (this.#next) {
            const { wish, since } = this.#next;
            this.#next = null;
            try {
                const [told, pixels] = await glance(wish.drawing, {
                    inking: wish.inking,
                    window: wish.window,
                    exact: wish.exact,
                    caught: wish.caught,
                    trace: wish.trace,
                });
                this.told = told;
                this.#pixels = pixels;
                this.#colour = null;
                this.wish = wish;
                this.heard(told, null);
                const name = wish.exact ? 'full result' : 'slider to picture';
                if (since > 0) {
                    // Until the frame that shows it is on the screen.
                    requestAnimationFrame(() => performance.measure(name, { start: since, end: performance.now() }));
                }
            } catch (e) {
                this.told = null;
                this.#colour = null;
                this.wish = null;
                this.heard(null, e instanceof Refused ? e.told.error : 'the preview could not be made');
            }
            this.changed();
        }
        this.#busy = false;
    }
}
