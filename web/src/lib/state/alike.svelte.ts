/** Decisions that serve more than one finding: those that are alike, and the like ones of the shot's other drawings. */
import * as api from '../api';
import { Latest } from '../latest';
import { standing } from '../shown';
import type { Finding } from '../types/Finding';
import type { LikeDecision } from '../types/LikeDecision';
import { bench } from './bench.svelte';
import { findings } from './findings.svelte';
import { sheet } from './sheet.svelte';

/** Fewer than so many are shown one by one. */
const LEAST = 3;
/** After so long without a step it is asked anew which are alike, ms: a step waits while that is looked at. */
const QUIET = 1500;

class Alike {
    #groups = $state.raw<string[][]>([]);
    #decided = $state.raw<LikeDecision[]>([]);
    #of: number | null = null;
    #latest = new Latest();
    #timer: ReturnType<typeof setTimeout> | undefined;
    #groupOf = $derived(new Map(this.#groups.flatMap((g) => g.map((id) => [id, g] as const))));
    #decisionOf = $derived(new Map(this.#decided.map((d) => [d.finding, d] as const)));

    /** What is like a finding and stands as it does, itself among them; nothing if those are few. */
    like(f: Finding): Finding[] {
        const group = this.#groupOf.get(f.id) ?? [];
        const there = group.flatMap((id) => sheet.view?.findings.get(id) ?? []);
        const same = there.filter((o) => o.kind === f.kind && standing(o) === standing(f));
        return same.length >= LEAST ? same : [];
    }

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
            [this.#groups, this.#decided] = [[], []];
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
            this.#groups = asked.told.groups;
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
        const of = (...how: LikeDecision['how'][]) =>
            list.filter((f) => how.includes(this.decision(f)?.how ?? 'left')).map((f) => f.id);
        const [left, bridged, seamed, cut] = [of('left'), of('bridged'), of('seamed'), of('cut')];
        if (bridged.length) await sheet.do({ do: 'settle', ids: bridged, with: 'bridge' });
        if (seamed.length) await sheet.do({ do: 'settle', ids: seamed, with: 'seam' });
        if (cut.length) await sheet.do({ do: 'settle', ids: cut, with: null });
        if (left.length) await sheet.do({ do: 'leave', ids: left });
    }

    /** Leaves all that are like one, or opens them again; then goes on. */
    leaveLike(f: Finding) {
        if (sheet.busy) return;
        const ids = this.like(f).map((o) => o.id);
        if (ids.length === 0) return;
        const next = findings.listed.find((o) => !ids.includes(o.id));
        const goOn = () => {
            const there = next && sheet.view?.findings.get(next.id);
            if (there) findings.show(there);
            else findings.at = null;
        };
        return sheet.do({ do: f.left ? 'reopen' : 'leave', ids }, goOn);
    }

    /** Settles all that are like one as their kind asks for: closed or cut. */
    settleLike(f: Finding) {
        if (sheet.busy) return;
        return sheet.do({ do: 'settle', ids: this.like(f).map((o) => o.id), with: null });
    }
}

export const alike = new Alike();
