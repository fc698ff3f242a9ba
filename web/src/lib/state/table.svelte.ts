/** How the shot's table is sorted, and which of its drawings are listed. */
import type { DrawingInfo } from '../types/DrawingInfo';
import type { Kind } from '../types/Kind';
import { people } from './people.svelte';
import { shots } from './shots.svelte';

export type SortedBy = 'order' | 'name' | 'open' | 'changed';
/** Which drawings are listed. */
export type Listed = 'all' | 'open' | 'sure' | 'not lifted' | 'not painted' | 'doubtful' | 'worked on' | 'ready' | Kind;
export type Since = 'ever' | 'hour' | 'day' | 'week';

const HOUR = 3_600_000;
const AGES: Record<Since, number> = { ever: Infinity, hour: HOUR, day: 24 * HOUR, week: 7 * 24 * HOUR };

export const openOf = ({ progress }: DrawingInfo) => progress.join_open + progress.paint_open;

/** Whether a drawing is listed. */
export function isListed(d: DrawingInfo, listed: Listed): boolean {
    const p = d.progress;
    switch (listed) {
        case 'all':
            return true;
        case 'open':
            return openOf(d) > 0;
        case 'sure':
            return p.sure > 0;
        case 'not lifted':
            return !p.lifted;
        case 'not painted':
            return p.lifted && p.painted < p.regions;
        case 'worked on':
            return people.on(d.id).length > 0;
        case 'ready':
            return d.ready;
        case 'doubtful':
            return p.doubtful > 0;
        default:
            return (p.open[listed] ?? 0) > 0;
    }
}

class Table {
    by = $state<SortedBy>('order');
    listed = $state<Listed>('all');
    since = $state<Since>('ever');

    /** Those that are listed, sorted; those with most open and those that were changed last come first. */
    rows = $derived.by((): DrawingInfo[] => {
        const after = Date.now() - AGES[this.since];
        const rows = (shots.shot?.drawings ?? []).filter((d) => isListed(d, this.listed) && d.changed_at >= after);
        const byNumber = new Intl.Collator('en', { numeric: true });
        if (this.by === 'name') rows.sort((a, b) => byNumber.compare(a.name, b.name));
        if (this.by === 'open') rows.sort((a, b) => openOf(b) - openOf(a));
        if (this.by === 'changed') rows.sort((a, b) => b.changed_at - a.changed_at);
        return rows;
    });

    /** The kinds of findings that are open somewhere in the shot, with how many. */
    kinds = $derived.by(() => {
        const all: Partial<Record<Kind, number>> = {};
        for (const { progress } of shots.shot?.drawings ?? []) {
            for (const [kind, n] of Object.entries(progress.open)) {
                all[kind as Kind] = (all[kind as Kind] ?? 0) + n;
            }
        }
        return (Object.entries(all) as [Kind, number][]).sort((a, b) => b[1] - a[1]);
    });
}

export const table = new Table();

/** How long ago something was, in a few words. */
export function ago(then: number, now = Date.now()): string {
    const minutes = Math.floor((now - then) / 60_000);
    if (minutes < 1) return 'just now';
    if (minutes < 60) return `${minutes} min ago`;
    const hours = Math.floor(minutes / 60);
    if (hours < 24) return `${hours} h ago`;
    const days = Math.floor(hours / 24);
    return `${days} d ago`;
}
