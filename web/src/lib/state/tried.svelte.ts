/** What a step in hand would make of lines, asked while it is drawn: one question at a time, the newest last. */
import * as api from '../api';
import type { Command } from '../types/Command';
import type { TriedTold } from '../types/TriedTold';
import { sheet } from './sheet.svelte';

class Tried {
    told = $state.raw<TriedTold | null>(null);
    #asking = false;
    #next: Command | null = null;
    /** What was asked before this was given up. */
    #given = 0;

    clear() {
        this.told = null;
        this.#next = null;
        this.#given++;
    }

    async ask(command: Command) {
        this.#next = command;
        if (this.#asking) return;
        this.#asking = true;
        while (this.#next && sheet.view) {
            const asked: Command = this.#next;
            const mine = this.#given;
            this.#next = null;
            try {
                const told = await api.tried(sheet.view.info.id, asked);
                if (mine === this.#given && told.revision === sheet.view?.info.revision) this.told = told;
            } catch {
                // What cannot be done is told when it is asked for in earnest.
                if (mine === this.#given) this.told = null;
            }
        }
        this.#asking = false;
    }
}

export const tried = new Tried();
