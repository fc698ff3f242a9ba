/** What was asked about a place at Join: the way paint leaks, a span, where a seam would land. */
import * as api from '../api';
import type { LandingTold } from '../types/LandingTold';
import type { LeakTold } from '../types/LeakTold';
import type { Pt } from '../types/Pt';
import { findings } from './findings.svelte';
import { tell, tellError } from './notices.svelte';
import { sheet } from './sheet.svelte';

class Probe {
    leak = $state.raw<LeakTold | null>(null);
    span = $state.raw<{ at: Pt; path: string } | null>(null);
    landing = $state.raw<LandingTold | null>(null);
    /** The revision they were asked on; they hold for no other. */
    #revision = 0;
    /** A question where a seam would land is on its way; the newest one after it. */
    #landing = false;
    #toLand: Pt[] | null = null;

    clear() {
        this.leak = this.span = this.landing = null;
    }

    /** Lets go of what was asked on another state of the drawing. */
    follow() {
        if (sheet.view?.info.revision !== this.#revision) this.clear();
    }

    async #ask<T>(what: (id: number) => Promise<T>): Promise<T | null> {
        const view = sheet.view;
        if (!view) return null;
        this.#revision = view.info.revision;
        try {
            const told = await what(view.info.id);
            return sheet.view?.info.revision === this.#revision ? told : null;
        } catch (e) {
            tellError(e);
            return null;
        }
    }

    async testLeak(at: Pt) {
        this.clear();
        const told = await this.#ask((id) => api.leak(id, at));
        if (told?.leak) this.leak = told;
        else if (told) tell('This place holds paint: it is closed, with no narrow spot.');
    }

    async pickSpan(at: Pt) {
        this.clear();
        const told = await this.#ask((id) => api.span(id, at));
        if (told) this.span = { at, path: told.path };
    }

    /** Asks where the seam being drawn would land: one question at a time, the newest of those that came meanwhile last. */
    async land(path: Pt[]) {
        const first = path[0];
        const last = path[path.length - 1];
        if (!first || !last || Math.hypot(last[0] - first[0], last[1] - first[1]) < 2) return;
        this.#toLand = [...path];
        if (this.#landing) return;
        this.#landing = true;
        while (this.#toLand) {
            const asked: Pt[] = this.#toLand;
            this.#toLand = null;
            const told = await this.#ask((id) => api.landing(id, asked));
            if (told) this.landing = told;
        }
        this.#landing = false;
    }

    /** Closes the leak at its narrowest spot. */
    async close(how: 'bridge' | 'seam') {
        const told = this.leak;
        if (!told?.leak) return;
        const [from, to] = told.leak.sides;
        this.clear();
        if (told.finding) await sheet.do({ of: 'findings', do: 'settle', ids: [told.finding], with: how });
        else if (how === 'bridge') await sheet.do({ of: 'join', do: 'bridge', from, to });
        else await sheet.do({ of: 'join', do: 'seam', path: [from, to] });
        findings.at = null;
    }

    async takeSpan() {
        const span = this.span;
        this.clear();
        if (span) await sheet.do({ of: 'join', do: 'take_span', at: span.at });
    }
}

export const probe = new Probe();
