/** The findings of the station that is worked at, one of them in hand. */
import type { Box } from '../geometry/box';
import type { Finding } from '../types/Finding';
import { standing, type Standing } from './shown';
import type { Kind } from '../types/Kind';
import { bench } from './bench.svelte';
import { colours } from './colours.svelte';
import { groups } from './groups.svelte';
import { sheet } from './sheet.svelte';
export const AT_JOIN: Kind[] = ['gap', 'tail', 'leak', 'loose_end', 'sliver'];
const AT_PAINT: Kind[] = ['unpainted', 'two_paints', 'doubtful', 'unlike'];

class Findings {
    /** Only this kind is listed; `null`: all. */
    only = $state<Kind | null>(null);
    showLeft = $state(false);
    /** The quiet ones are listed, too, behind the open ones. */
    unfolded = $state(false);
    at = $state<string | null>(null);

    #kinds = $derived(bench.station === 'join' ? AT_JOIN : bench.station === 'paint' ? AT_PAINT : []);
    open = $derived(sheet.view?.open.of(this.#kinds) ?? []);
    left = $derived(sheet.view?.left.of(this.#kinds) ?? []);
    sure = $derived(this.open.filter((f) => f.sure));
    #only = (list: Finding[]) => (this.only === null ? list : list.filter((f) => f.kind === this.only));
    #quiet = $derived(sheet.view?.quiet.of(this.#kinds) ?? []);
    /** Those of the chosen kind that ask for nothing. */
    quiet = $derived(this.#only(this.#quiet));
    /** The kinds of those that are unfolded. */
    unfoldedKinds = $derived(this.unfolded ? [...new Set(this.#quiet.map((f) => f.kind))] : []);
    /** By harm, those that are alike together; the quiet ones last. */
    listed = $derived.by(() => {
        if (this.showLeft) return groups.together(this.#only(this.left));
        const open = groups.together(this.#only(this.open));
        return this.unfolded ? open.concat(groups.together(this.quiet)) : open;
    });
    current = $derived(this.#listedAs(this.at));

    /** How many of a kind are open. */
    count(kind: Kind): number {
        return sheet.view?.open.count(kind) ?? 0;
    }

    /** Tells of a finding whether it is listed. */
    whichListed(): (f: Finding) => boolean {
        const kinds = this.only === null ? this.#kinds : [this.only];
        const listed: Standing[] = this.showLeft ? ['left'] : this.unfolded ? ['open', 'quiet'] : ['open'];
        return (f) => listed.includes(standing(f)) && kinds.includes(f.kind);
    }

    /** Those listed that come as near to a box of the sheet; unpainted regions are shown by themselves. */
    near(box: Box, margin: number): Finding[] {
        const listed = this.whichListed();
        const found = sheet.view?.findings.within(box, margin) ?? [];
        return found.filter((f) => f.kind !== 'unpainted' && listed(f));
    }

    #listedAs(id: string | null): Finding | null {
        const found = id === null ? undefined : sheet.view?.findings.get(id);
        return found && this.whichListed()(found) ? found : null;
    }

    /** Goes to the next (1) or the previous (-1) finding and brings it into view. */
    step(by: 1 | -1) {
        const n = this.listed.length;
        if (n === 0) return;
        const i = this.current ? this.listed.indexOf(this.current) : -1;
        const next = i < 0 ? (by > 0 ? 0 : n - 1) : (i + by + n) % n;
        const finding = this.listed[next];
        if (finding) this.show(finding);
    }

    /** The one that comes into hand once another is settled. */
    after(finding: Finding): Finding | undefined {
        const i = this.listed.indexOf(finding);
        return this.listed[i + 1] ?? this.listed[i - 1];
    }

    show(finding: Finding) {
        this.at = finding.id;
        bench.camera.bring(finding.at, finding.to ?? finding.at);
    }

    /** Settles with a command, then goes on to the one that followed. */
    async settle(finding: Finding, how: 'accept' | 'seam' | 'leave') {
        const goOn = this.#goOnAfter(finding);
        if (how === 'leave') {
            await sheet.do({ of: 'findings', do: finding.left ? 'reopen' : 'leave', ids: [finding.id] }, goOn);
        } else if ((finding.kind === 'unpainted' || finding.kind === 'two_paints') && how === 'accept') {
            if (colours.paint) await this.paint(finding, colours.paint);
        } else {
            const opens = finding.kind === 'gap' || finding.kind === 'leak';
            const bridge = opens && how === 'accept' ? 'bridge' : null;
            const seam = opens && how === 'seam' ? 'seam' : null;
            if (how === 'seam' && !seam) return;
            await sheet.do({ of: 'findings', do: 'settle', ids: [finding.id], with: bridge ?? seam }, goOn);
        }
    }

    /** Paints the region of a finding, then goes on to the one that followed. */
    async paint(finding: Finding, swatch: string) {
        await sheet.do({ of: 'paint', do: 'fill', at: [finding.at], swatch }, this.#goOnAfter(finding));
    }

    #goOnAfter(finding: Finding) {
        const after = this.after(finding);
        return () => {
            const next = this.#listedAs(after?.id ?? null) ?? this.listed[0];
            if (next) this.show(next);
            else this.at = null;
        };
    }

    settleSure() {
        if (sheet.busy) return;
        return sheet.do({ of: 'findings', do: 'settle', ids: this.sure.map((f) => f.id), with: null });
    }

    /** Leaves all that are open of the chosen kind as they are. */
    leaveListed() {
        if (sheet.busy) return;
        return sheet.do({ of: 'findings', do: 'leave', ids: this.#only(this.open).map((f) => f.id) });
    }
}

export const findings = new Findings();
