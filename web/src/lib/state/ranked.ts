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

/** How many there are of each kind. */
type Counts = Map<Kind, number>;

function counted(counts: Counts, findings: Finding[], by: 1 | -1) {
    for (const { kind } of findings) counts.set(kind, (counts.get(kind) ?? 0) + by);
    return counts;
}

export class Ranked {
    private constructor(
        private readonly list: Finding[],
        private readonly counts: Counts,
    ) {}

    static of(findings: Iterable<Finding>): Ranked {
        const list = [...findings].sort(before);
        return new Ranked(list, counted(new Map<Kind, number>(), list, 1));
    }

    /** `gone`: all of them are in it. */
    with(gone: Finding[], came: Finding[]): Ranked {
        if (gone.length + came.length === 0) return this;
        const counts = counted(counted(new Map(this.counts), gone, -1), came, 1);
        return new Ranked(changed(this.list, gone, came), counts);
    }

    count(kind: Kind): number {
        return this.counts.get(kind) ?? 0;
    }

    of(kinds: Kind[]): Finding[] {
        return this.list.filter((f) => kinds.includes(f.kind));
    }
}
