/** The findings of the station that is worked at, one of them in hand. */
import type { Finding } from '../types/Finding';
import type { Kind } from '../types/Kind';
import { bench } from './bench.svelte';
import { sheet } from './sheet.svelte';

const AT_JOIN: Kind[] = ['gap', 'tail', 'leak', 'loose_end', 'sliver'];
const AT_PAINT: Kind[] = ['unpainted', 'two_paints'];

class Findings {
    /** Only this kind is listed; `null`: all. */
    only = $state<Kind | null>(null);
    showLeft = $state(false);
    at = $state<string | null>(null);

    /** Those of the station in one pass: thousands are gone through after each step. */
    #sorted = $derived.by(() => {
        const kinds = bench.station === 'join' ? AT_JOIN : bench.station === 'paint' ? AT_PAINT : [];
        const here: Finding[] = [];
        const open: Finding[] = [];
        const sure: Finding[] = [];
        const counts: Partial<Record<Kind, number>> = {};
        for (const f of kinds.length ? (sheet.view?.findings ?? []) : []) {
            if (!kinds.includes(f.kind)) continue;
            here.push(f);
            if (f.left) continue;
            open.push(f);
            if (f.sure) sure.push(f);
            counts[f.kind] = (counts[f.kind] ?? 0) + 1;
        }
        return { here, open, sure, counts };
    });
    here = $derived(this.#sorted.here);
    open = $derived(this.#sorted.open);
    sure = $derived(this.#sorted.sure);
    /** How many of a kind are open. */
    counts = $derived(this.#sorted.counts);
    listed = $derived.by(() => {
        if (!this.showLeft && this.only === null) return this.open;
        return this.here.filter((f) => f.left === this.showLeft && (this.only === null || f.kind === this.only));
    });
    current = $derived(this.listed.find((f) => f.id === this.at) ?? null);

    /** Goes to the next (1) or the previous (-1) finding and brings it into view. */
    step(by: 1 | -1) {
        const n = this.listed.length;
        if (n === 0) return;
        const i = this.listed.findIndex((f) => f.id === this.at);
        const next = i < 0 ? (by > 0 ? 0 : n - 1) : (i + by + n) % n;
        const finding = this.listed[next];
        if (finding) this.show(finding);
    }

    show(finding: Finding) {
        this.at = finding.id;
        bench.camera.bring(finding.at, finding.to ?? finding.at);
    }

    /** Settles with a command, then goes on to the one that followed. */
    async settle(finding: Finding, how: 'accept' | 'seam' | 'leave') {
        const i = this.listed.findIndex((f) => f.id === finding.id);
        const after = this.listed[i + 1] ?? this.listed[i - 1];
        let done: boolean;
        if (how === 'leave') {
            done = await sheet.do(
                finding.left ? { do: 'reopen', ids: [finding.id] } : { do: 'leave', ids: [finding.id] },
            );
        } else if ((finding.kind === 'unpainted' || finding.kind === 'two_paints') && how === 'accept') {
            if (!bench.swatch) return;
            done = await sheet.do({ do: 'fill', at: [finding.at], swatch: bench.swatch });
        } else {
            const opens = finding.kind === 'gap' || finding.kind === 'leak';
            const bridge = opens && how === 'accept' ? 'bridge' : null;
            const seam = opens && how === 'seam' ? 'seam' : null;
            if (how === 'seam' && !seam) return;
            done = await sheet.do({ do: 'settle', ids: [finding.id], with: bridge ?? seam });
        }
        if (!done) return;
        const next = this.listed.find((f) => f.id === after?.id) ?? this.listed[0];
        if (next) this.show(next);
        else this.at = null;
    }

    settleSure() {
        return sheet.do({ do: 'settle', ids: this.sure.map((f) => f.id), with: null });
    }
}

export const findings = new Findings();
