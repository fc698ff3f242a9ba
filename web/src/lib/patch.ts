/** What a step changed, taken over into what is shown; what did not change stays the same object. */
import type { DrawingPatch } from './types/DrawingPatch';
import type { DrawingView } from './types/DrawingView';
import type { Finding } from './types/Finding';
import type { Kind } from './types/Kind';

/** The order findings are listed in: by kind, the sure ones first, then by confidence. */
const KINDS: Kind[] = ['gap', 'tail', 'loose_end', 'sliver', 'unpainted', 'two_paints'];

function before(a: Finding, b: Finding): number {
    return (
        KINDS.indexOf(a.kind) - KINDS.indexOf(b.kind) ||
        Number(b.sure) - Number(a.sure) ||
        b.confidence - a.confidence ||
        (a.id < b.id ? -1 : a.id > b.id ? 1 : 0)
    );
}

/** Two sorted lists as one. */
function merged(a: Finding[], b: Finding[]): Finding[] {
    if (b.length === 0) return a;
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
