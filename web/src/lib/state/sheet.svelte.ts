/** The drawing on the bench: its state as the server last told it, and commands to it, one after the other. */
import * as api from '../api';
import type { Command } from '../types/Command';
import type { Pt } from '../types/Pt';
import type { DrawingView } from '../types/DrawingView';
import { tell, tellError } from './notices.svelte';

class Sheet {
    view = $state.raw<DrawingView | null>(null);
    loading = $state(false);
    /** Commands on their way. */
    waiting = $state(0);
    #queue: Promise<unknown> = Promise.resolve();
    /** The drawing that was asked for last. */
    #wanted = 0;
    onSaved: (view: DrawingView) => void = () => {};

    /** A step is on its way, or another drawing is: nothing can be asked for just now. */
    get busy() {
        return this.loading || this.waiting > 0;
    }

    /** Saves what is in hand of the drawing that is being left. */
    beforeLeaving: () => Promise<unknown> = () => Promise.resolve();

    async open(id: number) {
        await this.beforeLeaving();
        this.#wanted = id;
        this.loading = true;
        try {
            const view = await api.drawing(id);
            if (this.#wanted === id) this.view = view;
        } catch (e) {
            if (this.#wanted === id) this.view = null;
            tellError(e);
        } finally {
            if (this.#wanted === id) this.loading = false;
        }
    }

    /** Somebody else changed it: shows it as it is now. */
    async catchUp() {
        const id = this.view?.info.id;
        if (id === undefined || this.waiting > 0) return;
        const view = await api.drawing(id);
        if (this.view?.info.id === id && view.info.revision > this.view.info.revision) this.#take(view);
    }

    /** Shows a new state, unless another drawing lies on the bench by now. */
    #take(view: DrawingView) {
        if (this.#wanted === view.info.id) this.view = view;
        this.onSaved(view);
    }

    #send(what: (id: number, revision: number) => Promise<DrawingView>): Promise<boolean> {
        if (this.loading) return Promise.resolve(false);
        const id = this.view?.info.id;
        this.waiting++;
        const run = async () => {
            try {
                if (id === undefined || this.view?.info.id !== id) return false;
                this.#take(await what(id, this.view.info.revision));
                return true;
            } catch (e) {
                tellError(e);
                if (e instanceof api.Refused && e.status === 409 && id !== undefined) this.#take(await api.drawing(id));
                return false;
            } finally {
                this.waiting--;
            }
        };
        const done = this.#queue.then(run);
        this.#queue = done;
        return done;
    }

    do(command: Command) {
        return this.#send((id, revision) => api.command(id, revision, command));
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
