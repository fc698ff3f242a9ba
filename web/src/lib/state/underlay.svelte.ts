/**
 * The rough that lies dimmed under a drawing at Draw: the picture of a drawing of the shot, as it came. It is only looked
 * at, so it is kept with the page and not with the drawing.
 */
import * as api from '../api';
import { tellError } from './notices.svelte';

const KEPT_AS = 'underlays';
/** The colours its lines are shown in; none: as they came. */
export const TINTS = ['#a8603c', '#3B6FA5', '#4F7D52', '#6A4A80', ''];

/** How it lies and looks at first. */
const USUAL = { opacity: 0.4, tint: TINTS[0]!, x: 0, y: 0, angle: 0 };
type Look = typeof USUAL;

interface Rough {
    id: number;
    /** A layer of its file; none: the drawing as it came. */
    layer?: number;
    key: string;
    revision: number;
    width: number;
    height: number;
}

/** By the key of a drawing: which one lies under it, and how. */
type Kept = Record<string, { id: number; layer?: number } & Partial<Look>>;

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
    look = $state<Look>({ ...USUAL });
    /** The drawing it lies under. */
    #under = '';

    /** Lays down what lay under a drawing when it was last worked on. */
    async enter(key: string) {
        if (key === this.#under) return;
        this.#under = key;
        this.rough = null;
        const was = kept()[key];
        this.look = { ...USUAL, ...was };
        if (was) await this.#lay(was.id, was.layer);
    }

    /** Has a drawing lie under one that is new. */
    prepare(key: string, id: number) {
        localStorage.setItem(KEPT_AS, JSON.stringify({ ...kept(), [key]: { id } }));
    }

    /** Lays another one under the drawing, or a layer of its file; `null`: none. */
    async choose(id: number | null, layer?: number) {
        if (id === null) this.rough = null;
        else await this.#lay(id, layer);
        this.keep();
    }

    set(change: Partial<Look>) {
        Object.assign(this.look, change);
        this.keep();
    }

    /** Which of the drawing's pictures lies below. */
    get kind(): api.PictureKind {
        return this.rough?.layer === undefined ? 'original' : `layer-${this.rough.layer}`;
    }

    get isMoved(): boolean {
        const { x, y, angle } = this.look;
        return x !== 0 || y !== 0 || angle !== 0;
    }

    keep() {
        const all = kept();
        if (this.rough) all[this.#under] = { ...this.look, id: this.rough.id, layer: this.rough.layer };
        else delete all[this.#under];
        localStorage.setItem(KEPT_AS, JSON.stringify(all));
    }

    async #lay(id: number, layer?: number) {
        const under = this.#under;
        try {
            const { info, width, height } = await api.drawing(id);
            // Another drawing may have come onto the bench meanwhile.
            if (under === this.#under)
                this.rough = { id, layer, key: info.key, revision: info.revision, width, height };
        } catch (e) {
            tellError(e);
        }
    }
}

export const underlay = new Underlay();
