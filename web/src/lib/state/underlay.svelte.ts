/**
 * The rough that lies dimmed under a drawing at Draw: the picture of a drawing of the shot, as it came. It is only looked
 * at, so it is kept with the page and not with the drawing.
 */
import * as api from '../api';
import { tellError } from './notices.svelte';

const KEPT_AS = 'underlays';
/** How strong it is at first. */
const USUAL = 0.4;

interface Rough {
    id: number;
    key: string;
    revision: number;
    width: number;
    height: number;
}

/** By the key of a drawing: which one lies under it, and how strong. */
type Kept = Record<string, { id: number; opacity: number }>;

function kept(): Kept {
    try {
        const was: unknown = JSON.parse(localStorage.getItem(KEPT_AS) ?? '{}');
        return typeof was === 'object' && was !== null ? (was as Kept) : {};
    } catch {
        return {};
    }
}

class Underlay {
    rough = $state.raw<Rough | null>(null);
    opacity = $state(USUAL);
    /** The drawing it lies under. */
    #under = '';

    /** Lays down what lay under a drawing when it was last worked on. */
    async enter(key: string) {
        if (key === this.#under) return;
        this.#under = key;
        this.rough = null;
        const was = kept()[key];
        this.opacity = was?.opacity ?? USUAL;
        if (was) await this.#lay(was.id);
    }

    /** Has a drawing lie under one that is new. */
    prepare(key: string, id: number) {
        localStorage.setItem(KEPT_AS, JSON.stringify({ ...kept(), [key]: { id, opacity: USUAL } }));
    }

    /** Lays another one under the drawing; `null`: none. */
    async choose(id: number | null) {
        if (id === null) this.rough = null;
        else await this.#lay(id);
        this.keep();
    }

    keep() {
        const all = kept();
        if (this.rough) all[this.#under] = { id: this.rough.id, opacity: this.opacity };
        else delete all[this.#under];
        localStorage.setItem(KEPT_AS, JSON.stringify(all));
    }

    async #lay(id: number) {
        const under = this.#under;
        try {
            const { info, width, height } = await api.drawing(id);
            // Another drawing may have come onto the bench meanwhile.
            if (under === this.#under) this.rough = { id, key: info.key, revision: info.revision, width, height };
        } catch (e) {
            tellError(e);
        }
    }
}

export const underlay = new Underlay();
