/** Which findings are alike: they are one row of the list. */
import { standing } from './shown';
import type { Finding } from '../types/Finding';
import { sheet } from './sheet.svelte';

/** Fewer than so many are shown one by one. */
const LEAST = 3;

class Groups {
    /** The ids of those that are alike, as they were last asked for. */
    told = $state.raw<string[][]>([]);
    #groupOf = $derived(new Map(this.told.flatMap((g) => g.map((id) => [id, g] as const))));

    /** What is like a finding and stands as it does, itself among them; nothing if those are few. */
    like(f: Finding): Finding[] {
        const group = this.#groupOf.get(f.id) ?? [];
        const there = group.flatMap((id) => sheet.view?.findings.get(id) ?? []);
        const same = there.filter((o) => o.kind === f.kind && standing(o) === standing(f));
        return same.length >= LEAST ? same : [];
    }

    /** A list with those that are alike one after another, where the first of them stands. */
    together(list: Finding[]): Finding[] {
        if (this.told.length === 0) return list;
        const done: Record<string, true> = {};
        const out: Finding[] = [];
        for (const f of list) {
            if (done[f.id]) continue;
            const like = this.like(f);
            for (const o of like.length > 0 ? [f, ...like.filter((l) => l !== f)] : [f]) {
                done[o.id] = true;
                out.push(o);
            }
        }
        return out;
    }
}

export const groups = new Groups();
