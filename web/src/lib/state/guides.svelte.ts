/** Straight guides over the drawings of a shot: an aid for the eye and the hand, kept with the page. */
import type { Pt } from '../types/Pt';
import { shots } from './shots.svelte';
import { KeptWithPage } from './with_page.svelte';

export interface Guide {
    /** A place that it passes, px of the sheet. */
    at: Pt;
    /** From +x to +y, radians. */
    angle: number;
}

/** So many at most. */
const MOST = 40;
/** One list for all shots without any: whoever compares lists sees no change. */
const NONE: Guide[] = [];

class Guides extends KeptWithPage<Record<string, Guide[]>> {
    get list(): Guide[] {
        return this.settings[shots.shot?.id ?? 0] ?? NONE;
    }

    #hold(list: Guide[]) {
        this.set({ [shots.shot?.id ?? 0]: list });
    }

    /** Adds one, and gives its place in the list; none: there are too many. */
    add(guide: Guide): number | null {
        if (this.list.length >= MOST) return null;
        this.#hold([...this.list, guide]);
        return this.list.length - 1;
    }

    change(n: number, guide: Guide) {
        this.#hold(this.list.map((g, k) => (k === n ? guide : g)));
    }

    remove(n: number) {
        this.#hold(this.list.filter((_, k) => k !== n));
    }

    clear() {
        this.#hold([]);
    }
}

export const guides = new Guides('guides', {});
