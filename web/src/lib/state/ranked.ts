/** Findings in the order they are listed in: from the most harm on. */
import type { Finding } from '../types/Finding';
import type { Kind } from '../types/Kind';

function before(a: Finding, b: Finding): number {
    return b.harm - a.harm || (a.id < b.id ? -1 : a.id > b.id ? 1 : 0);
}

/** How many at the beginning of a list are all of `which`, which none after them is. */
function leading(list: Finding[], which: (f: Finding) => boolean): number {
    let [low, high] = [0, list.length];
    while (low < high) {
        const middle = (low + high) >> 1;
        if (which(list[middle]!)) low = middle + 1;
        else high = middle;
    }
    return low;
}

/** From so many changes on a list is gone through; fewer find their places quicker. */
const MANY = 48;

/** A list without some and with others. */
function changed(list: Finding[], gone: Finding[], came: Finding[]): Finding[] {
    if (gone.length + came.length === 0) return list;
    if (gone.length + came.length > MANY) {
        const names = new Set(gone);
        const kept = list.filter((f) => !names.has(f));
        const out: Finding[] = [];
        const sorted = [...came].sort(before);
        let next = 0;
        for (const f of kept) {
            for (let c = sorted[next]; c && before(c, f) < 0; c = sorted[++next]) out.push(c);
            out.push(f);
        }
        return out.concat(sorted.slice(next));
    }
    const out = list.slice();
    const placeOf = (f: Finding) => leading(out, (o) => before(o, f) < 0);
    for (const f of gone) {
        const i = placeOf(f);
        if (out[i] === f) out.splice(i, 1);
    }
    for (const f of came) out.splice(placeOf(f), 0, f);
    return out;
}

export class Ranked {
    private constructor(private readonly list: Finding[]) {}

    static of(findings: Iterable<Finding>): Ranked {
        return new Ranked([...findings].sort(before));
    }

    with(gone: Finding[], came: Finding[]): Ranked {
        const list = changed(this.list, gone, came);
        return list === this.list ? this : new Ranked(list);
    }

    of(kinds: Kind[]): Finding[] {
        return this.list.filter((f) => kinds.includes(f.kind));
    }
}
