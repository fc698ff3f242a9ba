/**
 * Stills of the shot's drawings: as they are sent they are kept for all, unpacked only for the few that are looked at
 * or about to be.
 */
import { still, type Still } from '../api/still';
import type { DrawingInfo } from '../types/DrawingInfo';
import type { StillFacts } from '../types/StillFacts';
import { colours } from './colours.svelte';

/** A still as it is drawn. */
export interface Unpacked {
    /** Tells it from any other. */
    name: string;
    facts: StillFacts;
    ink: ImageBitmap;
    paint: ImageBitmap;
}

/** How many are kept unpacked: each takes some 9 MB. */
const MOST_UNPACKED = 40;
/** How many are kept as they are sent: each takes some 200 kB. */
const MOST_PACKED = 400;

/** Keeps the ones that were used last; gives those that had to go. */
function trim<T>(all: Map<number, T>, most: number): T[] {
    const gone: T[] = [];
    for (const [id, it] of all) {
        if (all.size <= most) break;
        all.delete(id);
        gone.push(it);
    }
    return gone;
}

/** Puts what is used last at the end. */
function touch<T>(all: Map<number, T>, id: number, it: T) {
    all.delete(id);
    all.set(id, it);
}

class Stills {
    /** Counts what has come. */
    come = $state(0);
    #packed = new Map<number, { name: string; still: Promise<Still> }>();
    #unpacked = new Map<number, Unpacked>();
    /** By drawing: what is being unpacked. */
    #coming = new Map<number, string>();

    #name(d: DrawingInfo) {
        return `${d.key}.${d.revision}.${colours.shownIn(d)}`;
    }

    /** The still of a drawing as it is sent; asked for once. */
    packed(d: DrawingInfo): Promise<Still> {
        const name = this.#name(d);
        const known = this.#packed.get(d.id);
        if (known?.name === name) {
            touch(this.#packed, d.id, known);
            return known.still;
        }
        const asked = { name, still: still(d, colours.shownIn(d)) };
        touch(this.#packed, d.id, asked);
        asked.still.catch(() => {
            if (this.#packed.get(d.id) === asked) this.#packed.delete(d.id);
        });
        trim(this.#packed, MOST_PACKED);
        return asked.still;
    }

    /** Unpacks the still of a drawing, so that it can be drawn at once. */
    async unpack(d: DrawingInfo): Promise<void> {
        const name = this.#name(d);
        if (this.#unpacked.get(d.id)?.name === name || this.#coming.get(d.id) === name) return;
        this.#coming.set(d.id, name);
        try {
            const { facts, ink, paint } = await this.packed(d);
            const [inkMap, paintMap] = await Promise.all([createImageBitmap(ink), createImageBitmap(paint)]);
            this.#letGo(this.#unpacked.get(d.id));
            touch(this.#unpacked, d.id, { name, facts, ink: inkMap, paint: paintMap });
            trim(this.#unpacked, MOST_UNPACKED).forEach((it) => this.#letGo(it));
            this.come++;
        } finally {
            if (this.#coming.get(d.id) === name) this.#coming.delete(d.id);
        }
    }

    #letGo(it: Unpacked | undefined) {
        it?.ink.close();
        it?.paint.close();
    }

    /** The still of a drawing, as it is now or as it came last; asked for if it is not there. */
    of(d: DrawingInfo): Unpacked | null {
        void this.come;
        const known = this.#unpacked.get(d.id);
        if (known) touch(this.#unpacked, d.id, known);
        if (known?.name !== this.#name(d)) {
            // What does not come now is asked for again when it is looked at next.
            this.unpack(d).catch(() => {});
        }
        return known ?? null;
    }

    /** Whether a drawing's still is there as it is now. */
    has(d: DrawingInfo): boolean {
        return this.#unpacked.get(d.id)?.name === this.#name(d);
    }
}

export const stills = new Stills();
