/** The drawing on the bench: its state as the server last told it, and commands to it, one after the other. */
import * as api from '../api';
import type { Command } from '../types/Command';
import type { Pt } from '../types/Pt';
import type { DrawingFrame } from '../types/DrawingFrame';
import type { DrawingView } from '../types/DrawingView';
import type { StepTold } from '../types/StepTold';
import type { Window as SheetWindow } from '../types/Window';
import type { Box } from '../geometry/box';
import { laid, patched, type Shown } from './shown';
import { tell, tellError } from './notices.svelte';

/** How long until what could not be shown is asked for again, ms. */
const AGAIN = 2000;

/** After so long a step on its way is told, ms. */
const LATE = 150;

class Sheet {
    view = $state.raw<Shown | null>(null);
    loading = $state(false);
    /** Commands on their way. */
    waiting = $state(0);
    /** One of them has been for so long that it is told: most are answered before the eye would see it. */
    late = $state(false);
    #soonLate = 0;
    /** The last step asked for was refused, or could not be sent: it is not done. */
    refused = $state(false);
    #queue: Promise<unknown> = Promise.resolve();
    /** The drawing that was asked for last. */
    #wanted = $state(0);
    /** Steps on their way, by their drawing. */
    #stepsOf = new Map<number, number>();
    /** The revisions of drawings that were left while steps of theirs were on their way. */
    #left = new Map<number, number>();
    /** The newest revision of the drawing on the bench that was heard of. */
    #heardOf = { id: 0, revision: 0 };
    onSaved: (view: DrawingFrame) => void = () => {};
    /** Where the ink changed since the whole of it was told, the newest last. */
    #inked: { box: [number, number, number, number]; revision: number }[] = [];
    #inkedWhole = 0;
    /** What changed since it was asked last: all, or what lies in a box. */
    #changed: Box | 'all' | null = 'all';
    /** When somebody let go of what makes the next step; 0: now. */
    actedAt = 0;
    /** When that was of the step that is to be shown next; 0: it is shown. */
    toShow = 0;
    /** When the drawing was asked for that comes onto the bench; 0: it lies there, and its ink is shown. */
    askedAt = 0;

    /** A number that changes when the sheet is laid out otherwise. */
    layout = $derived.by(() => {
        let n = 7;
        for (const c of JSON.stringify(this.view?.recipes.intake ?? {})) n = (n * 31 + c.charCodeAt(0)) | 0;
        return n >>> 0;
    });

    /** A step is on its way, or another drawing is: nothing can be asked for just now. */
    get busy() {
        return this.loading || this.waiting > 0;
    }

    /** The drawing that is on its way onto the bench, where another lies or none; `null`: there is none. */
    get coming(): number | null {
        return this.loading && this.view?.info.id !== this.#wanted ? this.#wanted : null;
    }

    #awaits(by: 1 | -1) {
        this.waiting += by;
        if (this.waiting > 0) this.#soonLate ||= window.setTimeout(() => (this.late = true), LATE);
        else {
            window.clearTimeout(this.#soonLate);
            this.#soonLate = 0;
            this.late = false;
        }
    }

    /** Saves what is in hand of the drawing that is being left. */
    beforeLeaving: () => Promise<unknown> = () => Promise.resolve();

    async open(id: number) {
        this.askedAt = performance.now();
        await this.beforeLeaving();
        this.#wanted = id;
        this.loading = true;
        try {
            // Steps of its own that are still on their way come first.
            while (this.#stepsOf.get(id)) await this.#queue;
            const view = await api.drawing(id);
            if (this.#wanted === id) this.#lay(view);
        } catch (e) {
            if (this.#wanted === id) this.view = null;
            tellError(e);
        } finally {
            if (this.#wanted === id) this.loading = false;
        }
    }

    /** Somebody else changed it, maybe: what is newer is shown, once no step is on its way any more. */
    hear(id: number, revision: number) {
        if (this.view?.info.id !== id) return;
        if (this.#heardOf.id !== id || this.#heardOf.revision < revision) this.#heardOf = { id, revision };
        if (this.waiting === 0 && revision > this.view.info.revision) void this.catchUp();
    }

    /** What others did is being asked for. */
    #catching = false;

    /** Shows what others did: of the drawing that is shown only what changed. What is in hand goes on meanwhile. */
    async catchUp() {
        const shown = this.view;
        if (!shown || this.waiting > 0 || this.#catching) return;
        const { id, revision } = shown.info;
        this.#catching = true;
        try {
            const told = await api.since(id, revision, shown.numbering);
            const now = this.view?.info;
            const news = told.told === 'whole' ? told.info : told.frame.info;
            // A step that was taken meanwhile may have told all of it.
            const isBase = told.told === 'whole' ? (now?.revision ?? 0) < news.revision : now?.revision === revision;
            if (now?.id === id && isBase) this.#hear(told);
            this.#catching = false;
            // Where that brought nothing new, the server has not heard of it yet.
            if ((this.view?.info.revision ?? 0) > revision) this.#followHeard();
            else setTimeout(() => this.#followHeard(), AGAIN);
        } catch (e) {
            this.#catching = false;
            tellError(e);
            // What was heard of is asked for until it is there.
            setTimeout(() => this.#followHeard(), AGAIN);
        }
    }

    /** Shows what others did, as far as it was heard of. */
    #followHeard() {
        const heard = this.#heardOf;
        if (this.waiting === 0 && this.view?.info.id === heard.id && heard.revision > this.view.info.revision) {
            void this.catchUp();
        }
    }

    /** Lays the whole of a drawing on the bench. */
    #lay(view: DrawingView) {
        const before = this.view?.info;
        if (before && before.id !== view.info.id && this.#stepsOf.get(before.id)) {
            this.#left.set(before.id, before.revision);
        }
        this.#left.delete(view.info.id);
        if (before?.id !== view.info.id) this.refused = false;
        this.#inked = [];
        this.#inkedWhole = view.info.revision;
        this.#changed = 'all';
        this.view = laid(view);
    }

    /** Shows a new state, unless another drawing lies on the bench by now. */
    #take(view: DrawingView) {
        if (this.#wanted === view.info.id) this.#lay(view);
        this.onSaved(view);
    }

    /** Takes over what a step answered. */
    #hear(told: StepTold) {
        const info = told.told === 'whole' ? told.info : told.frame.info;
        if (this.#left.has(info.id)) this.#left.set(info.id, info.revision);
        if (told.told === 'whole') {
            this.#take(told);
            return;
        }
        const before = this.view;
        if (before?.info.id === told.frame.info.id) {
            this.#inked.push(...told.inked.map((box) => ({ box, revision: told.frame.info.revision })));
            const { shown, changed } = patched(before, told, this.#changed === 'all' ? null : this.#changed);
            if (this.#changed !== 'all') this.#changed = changed;
            this.view = shown;
            this.onSaved(shown);
        }
    }

    /** What changed since this was asked last. */
    takeChanged(): Box | 'all' | null {
        const changed = this.#changed;
        this.#changed = null;
        return changed;
    }

    /** The last revision that changed the ink in a part of the sheet. */
    inkVersion(w: SheetWindow): number {
        const { x, y, width, height } = w;
        const hit = this.#inked.findLast(
            ({ box: [left, top, right, low] }) => left < x + width && right > x && top < y + height && low > y,
        );
        return hit?.revision ?? this.#inkedWhole;
    }

    /** `then`: what is to be shown along with the answer. */
    #send(
        what: (id: number, revision: number, numbering: number) => Promise<StepTold>,
        then?: () => void,
    ): Promise<boolean> {
        if (this.loading) return Promise.resolve(false);
        const id = this.view?.info.id;
        this.#awaits(1);
        const actedAt = this.actedAt || performance.now();
        this.actedAt = 0;
        if (id !== undefined) this.#stepsOf.set(id, (this.#stepsOf.get(id) ?? 0) + 1);
        const run = async () => {
            try {
                // Of a drawing that was left meanwhile its steps are done all the same.
                const here = this.view?.info.id === id ? this.view : null;
                const revision = here?.info.revision ?? (id === undefined ? undefined : this.#left.get(id));
                if (id === undefined || revision === undefined) return false;
                const told = await what(id, revision, here?.numbering ?? 0);
                this.refused = false;
                // The next frame is asked for before the answer is taken over: it comes sooner.
                requestAnimationFrame(() => {});
                this.#hear(told);
                this.toShow = actedAt;
                then?.();
                return true;
            } catch (e) {
                this.refused = true;
                tellError(e);
                if (e instanceof api.Refused && e.status === 409 && id !== undefined) await this.#reload(id);
                return false;
            } finally {
                this.#awaits(-1);
                if (id !== undefined) this.#done(id);
            }
        };
        const done = this.#queue.then(run);
        this.#queue = done;
        return done;
    }

    /** Shows a drawing as it is after a conflict. If that fails, the next step is refused again, and nothing is lost. */
    async #reload(id: number) {
        try {
            const view = await api.drawing(id);
            if (this.#left.has(id)) this.#left.set(id, view.info.revision);
            this.#take(view);
        } catch (e) {
            tellError(e);
        }
    }

    /** A step of a drawing came to its end: what others did meanwhile is shown once all have. */
    #done(id: number) {
        const more = (this.#stepsOf.get(id) ?? 1) - 1;
        if (more > 0) this.#stepsOf.set(id, more);
        else {
            this.#stepsOf.delete(id);
            this.#left.delete(id);
        }
        this.#followHeard();
    }

    do(command: Command, then?: () => void) {
        return this.#send((id, revision, numbering) => api.command(id, revision, numbering, command), then);
    }

    /** Lays the sheet so that two marks on it lie where the shot's other sheets have theirs. */
    register(marks: [Pt, Pt]) {
        return this.#send((id, revision) => api.register(id, revision, marks));
    }

    undo() {
        if (!this.view?.undo && this.waiting === 0) {
            tell('Nothing to undo');
            return Promise.resolve(false);
        }
        return this.#send(api.undo);
    }

    redo() {
        if (!this.view?.redo && this.waiting === 0) {
            tell('Nothing to do again');
            return Promise.resolve(false);
        }
        return this.#send(api.redo);
    }
}

export const sheet = new Sheet();
