/**
 * What is undone and done again: the last step of the drawing, or the last change of its shot's colour model where that came
 * after the step.
 */
import type { ColourModel } from '../types/ColourModel';
import { tell } from './notices.svelte';
import { sheet } from './sheet.svelte';
import { shots } from './shots.svelte';

/** Changes of the colour model that follow one another sooner are one, ms: a colour is found by trying many. */
const TOGETHER = 1500;
/** So many changes can be taken back. */
const MOST_KEPT = 100;

interface Change {
    shot: number;
    /** The drawing that was looked at and its step. */
    place: string;
    before: ColourModel;
    after: ColourModel;
    at: number;
}

const model = (): ColourModel => ({ tones: shots.shot?.tones ?? [], swatches: shots.shot?.swatches ?? [] });
const same = (a: ColourModel, b: ColourModel) => JSON.stringify(a) === JSON.stringify(b);
const here = () => (sheet.view ? `${sheet.view.info.id} at ${sheet.view.steps}` : '');

class Undoing {
    #past = $state.raw<Change[]>([]);
    #future = $state.raw<Change[]>([]);
    #leading: Promise<boolean> | null = null;

    #last = $derived.by(() => {
        const last = this.#past.at(-1);
        return last?.shot === shots.shot?.id && (last?.place === here() || !sheet.view?.undo) ? last : undefined;
    });
    #next = $derived.by(() => {
        const next = this.#future.at(-1);
        return next?.shot === shots.shot?.id && next?.place === here() && !sheet.view?.redo ? next : undefined;
    });

    /** What undo would take back, in words. */
    undoes = $derived(this.#last ? 'changed the colour model' : (sheet.view?.undo ?? null));
    redoes = $derived(this.#next ? 'changed the colour model' : (sheet.view?.redo ?? null));

    /** Keeps a change of the colour model that was just taken: what was there before it. */
    note(before: ColourModel) {
        const last = this.#past.at(-1);
        const change = { shot: shots.shot?.id ?? 0, place: here(), before, after: model(), at: performance.now() };
        if (last && last.place === change.place && change.at - last.at < TOGETHER && same(last.after, before)) {
            this.#past = [...this.#past.slice(0, -1), { ...change, before: last.before }];
        } else {
            this.#past = [...this.#past, change].slice(-MOST_KEPT);
        }
        this.#future = [];
    }

    /** Nothing that came before is taken back any more. */
    forget() {
        this.#past = [];
        this.#future = [];
    }

    undo(): Promise<boolean> {
        // A change of the colours that is seen already is taken back as soon as it is noted.
        if (shots.changing) return shots.changing.then(() => this.undo());
        if (this.#leading) return this.#leading.then(() => this.undo());
        const change = this.#last;
        if (!change) return sheet.undo();
        return this.#lead(change.after, change.before, () => {
            this.#past = this.#past.slice(0, -1);
            this.#future = [...this.#future, change];
        });
    }

    redo(): Promise<boolean> {
        if (this.#leading) return this.#leading.then(() => this.redo());
        const change = this.#next;
        if (!change) return sheet.redo();
        return this.#lead(change.before, change.after, () => {
            this.#future = this.#future.slice(0, -1);
            this.#past = [...this.#past, { ...change, at: -Infinity }];
        });
    }

    #lead(from: ColourModel, to: ColourModel, done: () => void): Promise<boolean> {
        if (!same(model(), from)) {
            this.forget();
            tell('The colour model was changed meanwhile', 'It stays as it is.');
            return Promise.resolve(false);
        }
        this.#leading = shots
            .setColours(() => to)
            .then((taken) => {
                if (taken) done();
                this.#leading = null;
                return taken;
            });
        return this.#leading;
    }
}

export const undoing = new Undoing();
