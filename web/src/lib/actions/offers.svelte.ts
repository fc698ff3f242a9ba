/** What can be done about the thing in hand: a leak that was tested, a span that was picked, a finding. */
import type { Box } from '../geometry/box';
import { alike } from '../state/alike.svelte';
import { bench } from '../state/bench.svelte';
import { colours } from '../state/colours.svelte';
import { findings } from '../state/findings.svelte';
import { groups } from '../state/groups.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import { shots } from '../state/shots.svelte';
import type { Finding } from '../types/Finding';
import type { Pt } from '../types/Pt';

export type OfferKey = 'A' | 'S' | 'D' | 'G' | 'X' | '⇧ X' | 'Del';

export interface Offer {
    key: OfferKey;
    name: string;
    run: () => void;
}

/** The thing in hand with what is offered. */
export interface InHand {
    /** Where it lies, px of the sheet. */
    box: Box;
    /** How far around it the mark that shows it reaches, px of the screen. */
    margin: number;
    says: string;
    list: Offer[];
}

const around = (...places: Pt[]): Box => [
    Math.min(...places.map((p) => p[0])),
    Math.min(...places.map((p) => p[1])),
    Math.max(...places.map((p) => p[0])),
    Math.max(...places.map((p) => p[1])),
];

function ofLeak(): InHand | null {
    const [leak, view] = [probe.leak?.leak, sheet.view];
    if (!leak || !view) return null;
    const mm = (leak.width / view.dpi) * 25.4;
    const says = `${leak.outside ? 'Leaks out here' : 'Holds; narrowest here'}: ${mm.toFixed(1)} mm · ${leak.width.toFixed(0)} px`;
    const list: Offer[] = [
        { key: 'A', name: 'Ink bridge', run: () => void probe.close('bridge') },
        { key: 'S', name: 'Seam', run: () => void probe.close('seam') },
    ];
    return { box: around(leak.at), margin: 24, says, list };
}

function ofSpan(): InHand | null {
    if (!probe.span) return null;
    const run = () => void probe.takeSpan();
    const list: Offer[] = [{ key: 'Del', name: 'Take the span away', run }];
    return { box: around(probe.span.at), margin: 24, says: '', list };
}

/** How a finding can be settled. */
function waysOf(f: Finding): Offer[] {
    const settle = (how: 'accept' | 'seam' | 'leave') => () => {
        if (!sheet.busy) void findings.settle(f, how);
    };
    if (f.left) return [{ key: 'X', name: 'Open again', run: settle('leave') }];
    const opens = f.kind === 'gap' || f.kind === 'leak';
    const leave: Offer = { key: 'X', name: opens ? 'Leave open' : 'Leave', run: settle('leave') };
    if (opens)
        return [
            { key: 'A', name: 'Ink bridge', run: settle('accept') },
            { key: 'S', name: 'Seam', run: settle('seam') },
            leave,
        ];
    if (f.kind === 'tail') return [{ key: 'A', name: 'Cut', run: settle('accept') }, leave];
    if (f.kind === 'unpainted' || f.kind === 'two_paints') {
        if (colours.paint)
            return [{ key: 'A', name: `Fill: ${shots.nameOf(colours.paint)}`, run: settle('accept') }, leave];
    }
    const told = f.like?.swatches ?? [];
    if (f.kind === 'doubtful') {
        // The first is as it is painted; the others are taken by the keys beside it.
        const others = told.slice(1).map((id, n): Offer => {
            const key = (['S', 'D', 'G'] as const)[n] ?? 'G';
            return { key, name: shots.nameOf(id), run: () => void (sheet.busy || findings.paint(f, id)) };
        });
        return [{ key: 'A', name: shots.nameOf(told[0] ?? ''), run: settle('accept') }, ...others, leave];
    }
    if (f.kind === 'unlike')
        return [{ key: 'A', name: `${shots.nameOf(told[0] ?? '')} here, too`, run: settle('accept') }, leave];
    return [leave];
}

function ofFinding(): InHand | null {
    const now = findings.current;
    if (!now) return null;
    const list = waysOf(now);
    const like = groups.like(now).length;
    const all = now.left ? `Open all ${like} like this again` : `Leave all ${like} like this`;
    if (like > 0) list.push({ key: '⇧ X', name: all, run: () => void alike.leaveLike(now) });
    return { box: around(now.at, now.to ?? now.at), margin: now.kind === 'unpainted' ? 12 : 36, says: '', list };
}

class Offers {
    inHand = $derived.by((): InHand | null => {
        if (!sheet.view || (bench.station !== 'join' && bench.station !== 'paint')) return null;
        return ofLeak() ?? ofSpan() ?? ofFinding();
    });

    /** Does what is offered by a key, if anything is. */
    take(key: OfferKey) {
        this.inHand?.list.find((o) => o.key === key)?.run();
    }
}

export const offers = new Offers();
