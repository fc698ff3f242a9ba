/** What a step changed, taken over into what is shown; what did not change stays the same object. */
import { around, type Box } from './canvas/box';
import type { DrawingPatch } from './types/DrawingPatch';
import type { DrawingView } from './types/DrawingView';
import type { Finding } from './types/Finding';
import type { Kind } from './types/Kind';

/** The order findings are listed in: by kind, the sure ones first, then by confidence. */
const KINDS: Kind[] = ['gap', 'tail', 'leak', 'loose_end', 'sliver', 'unpainted', 'two_paints'];

const PLACE = Object.fromEntries(KINDS.map((k, i) => [k, i])) as Record<Kind, number>;

function before(a: Finding, b: Finding): number {
    return (
        PLACE[a.kind] - PLACE[b.kind] ||
        Number(b.sure) - Number(a.sure) ||
        b.confidence - a.confidence ||
        (a.id < b.id ? -1 : a.id > b.id ? 1 : 0)
    );
}

/** Two sorted lists as one. */
function merged(a: Finding[], b: Finding[]): Finding[] {
    if (b.length === 0) return a;
    if (b.length < 48) {
        // A few find their places quicker than all are gone through.
        const out = a.slice();
        for (const f of b) {
            let [low, high] = [0, out.length];
            while (low < high) {
                const middle = (low + high) >> 1;
                if (before(out[middle]!, f) < 0) low = middle + 1;
                else high = middle;
            }
            out.splice(low, 0, f);
        }
        return out;
    }
    const out: Finding[] = [];
    let j = 0;
    for (const f of a) {
        for (let g = b[j]; g && before(g, f) < 0; g = b[++j]) out.push(g);
        out.push(f);
    }
    return out.concat(b.slice(j));
}

function swapped<T, K>(list: T[], gone: K[], made: T[], key: (t: T) => K): T[] {
    if (gone.length === 0 && made.length === 0) return list;
    const out = new Set(gone);
    return list.filter((t) => !out.has(key(t))).concat(made);
}

export function patched(view: DrawingView, patch: DrawingPatch): DrawingView {
    let regions = swapped(view.regions, patch.regions_gone, patch.regions, (r) => r.id);
    if (patch.refilled.length > 0) {
        const fills = new Map(patch.refilled.map((r) => [r.region, r.swatch]));
        regions = regions.map((r) => {
            const fill = fills.get(r.id);
            return fill === undefined ? r : { ...r, swatch: fill };
        });
    }
    const kept = swapped(view.findings, patch.findings_gone, [], (f) => f.id);
    return {
        ...patch.frame,
        lines: swapped(view.lines, patch.lines_gone, patch.lines, (l) => l.id),
        regions,
        findings: merged(kept, [...patch.findings].sort(before)),
    };
}

/** Where a patch changes what is seen, with what was known to change before. */
export function changedBox(view: DrawingView, patch: DrawingPatch, before: Box | null): Box | null {
    let box = before;
    const regions = new Set([...patch.regions_gone, ...patch.refilled.map((r) => r.region)]);
    const lines = new Set(patch.lines_gone);
    const findings = new Set(patch.findings_gone);
    for (const r of view.regions) if (regions.has(r.id)) box = around(box, r.bounds);
    for (const l of view.lines) if (lines.has(l.id)) box = around(box, l.bounds);
    const spot = (f: Finding) => {
        for (const [x, y] of [f.at, f.to ?? f.at, ...f.path]) box = around(box, [x, y, x, y]);
    };
    for (const f of view.findings) if (findings.has(f.id)) spot(f);
    patch.findings.forEach(spot);
    for (const { bounds } of [...patch.regions, ...patch.lines]) box = around(box, bounds);
    for (const inked of patch.inked) box = around(box, inked);
    return box;
}
