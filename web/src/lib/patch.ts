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

/** What of a list stays and what goes, in one pass: thousands are gone through after each step. */
function parted<T, K>(list: T[], gone: K[], key: (t: T) => K): { kept: T[]; out: T[] } {
    if (gone.length === 0) return { kept: list, out: [] };
    const names = new Set(gone);
    const kept: T[] = [];
    const out: T[] = [];
    for (const t of list) (names.has(key(t)) ? out : kept).push(t);
    return { kept, out };
}

/** The drawing after a step, and the box of the sheet in which it changes what is seen, with what was known before. */
export function patched(
    view: DrawingView,
    patch: DrawingPatch,
    known: Box | null,
): { view: DrawingView; changed: Box | null } {
    const ofRegions = parted(view.regions, patch.regions_gone, (r) => r.id);
    const ofLines = parted(view.lines, patch.lines_gone, (l) => l.id);
    const ofFindings = parted(view.findings, patch.findings_gone, (f) => f.id);
    let regions = patch.regions.length ? ofRegions.kept.concat(patch.regions) : ofRegions.kept;
    let changed = known;
    if (patch.refilled.length > 0) {
        const fills = new Map(patch.refilled.map((r) => [r.region, r.swatch]));
        regions = regions.map((r) => {
            const fill = fills.get(r.id);
            if (fill === undefined) return r;
            changed = around(changed, r.bounds);
            return { ...r, swatch: fill };
        });
    }
    const spot = (f: Finding) => {
        for (const [x, y] of [f.at, f.to ?? f.at, ...f.path]) changed = around(changed, [x, y, x, y]);
    };
    [...ofFindings.out, ...patch.findings].forEach(spot);
    for (const { bounds } of [...ofRegions.out, ...ofLines.out, ...patch.regions, ...patch.lines]) {
        changed = around(changed, bounds);
    }
    for (const inked of patch.inked) changed = around(changed, inked);
    return {
        view: {
            ...patch.frame,
            lines: patch.lines.length ? ofLines.kept.concat(patch.lines) : ofLines.kept,
            regions,
            findings: merged(ofFindings.kept, [...patch.findings].sort(before)),
        },
        changed,
    };
}
