/**
 * The light table: neighbours of the drawing in hand faintly with it, those before and those behind it in a tint each;
 * flipping to a neighbour for as long as a key is held. All of it is only looked at.
 */
import * as api from '../api';
import type { DrawingInfo } from '../types/DrawingInfo';
import type { Pt } from '../types/Pt';
import { sheet } from './sheet.svelte';
import { shots } from './shots.svelte';
import { stills } from './stills.svelte';

const KEPT_AS = 'light table';
/** The most neighbours on a side. */
export const MOST = 4;
export const TINTS = { before: '#B5602A', behind: '#2B7A99' };

/** A neighbour that lies on the table: how many places off, and on which side. */
export interface Neighbour {
    drawing: DrawingInfo;
    off: number;
    side: keyof typeof TINTS;
}

function kept() {
    const usual = { on: false, before: 1, behind: 1, strength: 0.5 };
    try {
        return { ...usual, ...(JSON.parse(localStorage.getItem(KEPT_AS) ?? '{}') as Partial<typeof usual>) };
    } catch {
        return usual;
    }
}

class LightTable {
    settings = $state(kept());
    /** How far the drawing in hand lies from where it hangs, against its neighbours, px of the sheet. */
    shift = $state<Pt>([0, 0]);
    /** The canvas shifts it when it is dragged. */
    shifting = $state(false);
    /** Which neighbour is flipped to: 0 none. */
    flip = $state<-1 | 0 | 1>(0);
    /** When that was asked for, until it is shown. */
    flippedAt = 0;

    #at = $derived(shots.shot?.drawings.findIndex((d) => d.id === sheet.view?.info.id) ?? -1);

    #off(by: number): DrawingInfo | null {
        return this.#at < 0 ? null : (shots.shot?.drawings[this.#at + by] ?? null);
    }

    /** The drawing that is flipped to. */
    flipped = $derived(this.flip === 0 ? null : this.#off(this.flip));

    /** Those on the table, the farthest first: the nearest lie over them. */
    neighbours = $derived.by((): Neighbour[] => {
        const { on, before, behind } = this.settings;
        if (!on) return [];
        const out: Neighbour[] = [];
        for (let off = MOST; off > 0; off--) {
            const [a, b] = [off <= before && this.#off(-off), off <= behind && this.#off(off)];
            if (a) out.push({ drawing: a, off, side: 'before' });
            if (b) out.push({ drawing: b, off, side: 'behind' });
        }
        return out;
    });

    /** Flips to a neighbour, or back. */
    flipTo(side: -1 | 0 | 1) {
        if (this.flip !== side) this.flippedAt = performance.now();
        this.flip = side;
    }

    set(change: Partial<LightTable['settings']>) {
        Object.assign(this.settings, change);
        localStorage.setItem(KEPT_AS, JSON.stringify(this.settings));
    }

    toggle() {
        this.set({ on: !this.settings.on });
        if (!this.settings.on) this.shifting = false;
    }

    /** Another drawing comes onto the bench: it lies where it hangs. */
    leave() {
        this.shift = [0, 0];
        this.shifting = false;
    }

    /** How strong a neighbour shows. */
    strength(off: number): number {
        return this.settings.strength / off;
    }

    /** Has the drawings on both sides there before they are flipped or stepped to; the next is the likelier one. */
    prepare() {
        for (const d of [this.#off(1), this.#off(-1)]) {
            if (!d) continue;
            stills.of(d);
            // What is not opened ahead is opened when it is asked for.
            api.soon(d.id).catch(() => {});
        }
    }
}

export const lightTable = new LightTable();
