/** Decisions that serve more than one finding: those that are alike, and the like ones of the shot's other drawings. */
import * as api from '../api';
import { Latest } from '../api/latest';
import type { Finding } from '../types/Finding';
import type { LikeDecision } from '../types/LikeDecision';
import { bench } from './bench.svelte';
import { findings } from './findings.svelte';
import { groups } from './groups.svelte';
import { sheet } from './sheet.svelte';

/** After so long without a step it is asked anew which are alike, ms: a step waits while that is looked at. */
const QUIET = 1500;

class Alike {
    #decided = $state.raw<LikeDecision[]>([]);
    #of: number | null = null;
    #latest = new Latest();
    #timer: ReturnType<typeof setTimeout> | undefined;
    #decisionOf = $derived(new Map(this.#decided.map((d) => [d.finding, d] as const)));

    /** How the like finding of another drawing was settled, where that says more than its being left quiet. */
    decision(f: Finding): LikeDecision | undefined {
        const told = this.#decisionOf.get(f.id);
        return f.left || f.sure || (f.quiet && told?.how === 'left') ? undefined : told;
    }

    /** All findings of the station with such a decision. */
    offered = $derived.by(() => {
        if (bench.station !== 'join') return [];
        const there = this.#decided.flatMap((d) => sheet.view?.findings.get(d.finding) ?? []);
        return there.filter((f) => this.decision(f));
    });

    /** Asks anew when another drawing is opened, or this one was changed. */
    follow() {
        const id = sheet.view?.info.id ?? null;
        if (id !== this.#of) {
            this.#latest.forget();
            [groups.told, this.#decided] = [[], []];
            this.#of = null;
        }
        clearTimeout(this.#timer);
        if (id === null || bench.station !== 'join' || !sheet.view?.traced) return;
        this.#timer = setTimeout(() => void this.#ask(id), QUIET);
    }

    async #ask(id: number) {
        const isNew = this.#of !== id;
        try {
            const asked = await this.#latest.ask(() => api.alike(id));
            if (!asked || sheet.view?.info.id !== id) return;
            groups.told = asked.told.groups;
            this.#of = id;
            if (!isNew) return;
            const { decided } = await api.decidedElsewhere(id);
            if (sheet.view?.info.id === id) this.#decided = decided;
        } catch {
            // It only spares steps: without it each is decided by itself. The next change asks again.
        }
    }

    /** Does with each what was decided about the like one elsewhere. */
    async doAsDecided(list: Finding[]) {
        if (sheet.busy) return;
        const decisions = list.flatMap((f) => {
            const how = this.decision(f)?.how;
            return how ? [{ id: f.id, how }] : [];
        });
        if (decisions.length > 0) await sheet.do({ of: 'findings', do: 'decide', decisions });
    }

    /** Leaves all that are like one, or opens them again; then goes on. */
    leaveLike(f: Finding) {
        if (sheet.busy) return;
        const ids = groups.like(f).map((o) => o.id);
        if (ids.length === 0) return;
        const next = findings.listed.find((o) => !ids.includes(o.id));
        const goOn = () => {
            const there = next && sheet.view?.findings.get(next.id);
            if (there) findings.show(there);
            else findings.at = null;
        };
        return sheet.do({ of: 'findings', do: f.left ? 'reopen' : 'leave', ids }, goOn);
    }

    /** Settles all that are like one as their kind asks for: closed or cut. */
    settleLike(f: Finding) {
        if (sheet.busy) return;
        return sheet.do({ of: 'findings', do: 'settle', ids: groups.like(f).map((o) => o.id), with: null });
    }
}

export const alike = new Alike();
