/**
 * Things of a drawing by their names and by where they lie, kept up through steps: of the thousands there are none is
 * gone through again that did not change.
 */
import RBush, { type BBox } from 'rbush';
import type { Box } from './box';

interface Placed<T> extends BBox {
    thing: T;
}

export class Kept<K, T> {
    #named = new Map<K, Placed<T>>();
    #places = new RBush<Placed<T>>();

    constructor(
        all: T[],
        readonly nameOf: (thing: T) => K,
        readonly boxOf: (thing: T) => Box,
    ) {
        for (const thing of all) this.#named.set(nameOf(thing), this.#placed(thing));
        this.#places.load([...this.#named.values()]);
    }

    #placed(thing: T): Placed<T> {
        const [minX, minY, maxX, maxY] = this.boxOf(thing);
        return { minX, minY, maxX, maxY, thing };
    }

    get size() {
        return this.#named.size;
    }

    get(name: K): T | undefined {
        return this.#named.get(name)?.thing;
    }

    *all(): Iterable<T> {
        for (const { thing } of this.#named.values()) yield thing;
    }

    count(which: (thing: T) => boolean): number {
        let n = 0;
        for (const thing of this.all()) if (which(thing)) n++;
        return n;
    }

    /** Takes some out by their names and puts others in; one of the same name is replaced. Gives what was taken out. */
    change(gone: K[], came: T[]): T[] {
        const out: T[] = [];
        for (const name of [...gone, ...came.map(this.nameOf)]) {
            const was = this.#named.get(name);
            if (!was) continue;
            this.#named.delete(name);
            this.#places.remove(was);
            out.push(was.thing);
        }
        for (const thing of came) {
            const placed = this.#placed(thing);
            this.#named.set(this.nameOf(thing), placed);
            this.#places.insert(placed);
        }
        return out;
    }

    /** Those that reach into a box, or come as near as `margin` to it. */
    within([left, top, right, low]: Box, margin = 0): T[] {
        const found = this.#places.search({
            minX: left - margin,
            minY: top - margin,
            maxX: right + margin,
            maxY: low + margin,
        });
        return found.map((placed) => placed.thing);
    }
}
