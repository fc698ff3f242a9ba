/**
 * The shot played in the view at hand: each drawing for as many frames as it is held, looped. No frame is left out: where
 * the machine cannot keep the rate, it goes slower and the rate that is kept is told.
 */
import type { DrawingInfo } from '../types/DrawingInfo';
import { shots } from './shots.svelte';
import { stills } from './stills.svelte';
import { tellError } from './notices.svelte';

export const RATES = [8, 12, 24, 25] as const;
export type Rate = (typeof RATES)[number];
/** How many drawings are unpacked ahead of the one that is shown. */
const AHEAD = 6;
/** Over how many frames the rate that is kept is told. */
const TOLD_OVER = 24;
const KEPT_AS = 'play rate';

/** The drawing that is seen at a frame, counted from 0. */
export function drawingAt(drawings: DrawingInfo[], frame: number): DrawingInfo | null {
    let left = frame;
    for (const d of drawings) {
        if (left < d.hold) return d;
        left -= d.hold;
    }
    return null;
}

class Play {
    running = $state(false);
    /** The drawings that have come, before it runs. */
    fetched = $state(0);
    frame = $state(0);
    shows = $state<'both' | 'ink' | 'paint'>('both');
    rate = $state<Rate>(RATES.find((r) => String(r) === localStorage.getItem(KEPT_AS)) ?? 12);
    /** The rate that was kept over the last frames; 0: not known yet. */
    kept = $state(0);
    #asked = 0;
    #shownAt: number[] = [];
    #dueAt = 0;

    drawings = $derived(shots.shot?.drawings ?? []);
    frames = $derived(this.drawings.reduce((n, d) => n + d.hold, 0));
    /** What is seen, while it runs. */
    drawing = $derived(this.running ? drawingAt(this.drawings, this.frame) : null);

    async begin(from: number | undefined) {
        if (this.running || this.drawings.length === 0) return;
        const asked = ++this.#asked;
        this.running = true;
        this.fetched = 0;
        const before = this.drawings.slice(
            0,
            Math.max(
                0,
                this.drawings.findIndex((d) => d.id === from),
            ),
        );
        this.frame = before.reduce((n, d) => n + d.hold, 0);
        try {
            await Promise.all(
                this.drawings.map(async (d, n) => {
                    await stills.packed(d);
                    if (n < AHEAD) await stills.unpack(d);
                    this.fetched++;
                }),
            );
        } catch (e) {
            tellError(e);
            if (asked === this.#asked) this.stop();
        }
        if (asked !== this.#asked || !this.running) return;
        this.#again();
        requestAnimationFrame((now) => this.#next(now, asked));
    }

    stop() {
        this.#asked++;
        this.running = false;
        this.kept = 0;
    }

    setRate(rate: Rate) {
        this.rate = rate;
        localStorage.setItem(KEPT_AS, String(rate));
        this.#again();
    }

    #again() {
        this.#shownAt = [];
        this.kept = 0;
        this.#dueAt = performance.now() + 1000 / this.rate;
    }

    #next(now: number, asked: number) {
        if (asked !== this.#asked) return;
        requestAnimationFrame((later) => this.#next(later, asked));
        const frame = this.frames > 0 ? (this.frame + 1) % this.frames : 0;
        const next = drawingAt(this.drawings, frame);
        for (let k = 0, d = next; k < AHEAD && d; k++) {
            void stills.unpack(d).catch(() => {});
            d = this.drawings[(this.drawings.indexOf(d) + 1) % this.drawings.length] ?? null;
        }
        // A screen shows frames a little early or late: half of its own counts as due.
        if (now + 8 < this.#dueAt || !next || !stills.has(next)) return;
        this.frame = frame;
        // What is late is not made up for by leaving frames out.
        const each = 1000 / this.rate;
        this.#dueAt = now - this.#dueAt > each ? now + each : this.#dueAt + each;
        this.#shownAt.push(now);
        if (this.#shownAt.length > TOLD_OVER) this.#shownAt.shift();
        const [first] = this.#shownAt;
        if (first !== undefined && this.#shownAt.length > 4) {
            this.kept = ((this.#shownAt.length - 1) * 1000) / (now - first);
        }
    }
}

export const play = new Play();
