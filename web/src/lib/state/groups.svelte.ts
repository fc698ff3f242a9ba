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
        const group = this.#groupOf.get(f.id);
        if (!group) return [];
        const there = group.flatMap((id) => sheet.view?.findings.get(id) ?? []);
        const same = there.filter((o) => o.kind === f.kind && standing(o) === standing(f));
        return same.length >= LEAST ? same : [];
    }

    /** A list in its parts: where the first of those that are alike stands all of them, each other finding by itself. */
    *parts(list: Finding[]): Iterable<Finding | Finding[]> {
        const done = new WeakSet<Finding>();
        for (const f of list) {
            if (done.has(f)) continue;
            const like = this.like(f);
            if (like.length === 0) yield f;
            else {
                for (const o of like) done.add(o);
                yield [f, ...like.filter((o) => o !== f)];
            }
        }
    }

    /** A list with those that are alike one after another, where the first of them stands. */
    together(list: Finding[]): Finding[] {
        return this.told.length === 0 ? list : [...this.parts(list)].flat();
    }
}

export const groups = new Groups();
