<script lang="ts">
    import { KIND_NAMES } from '../drawn/marks';
    import { alike } from '../state/alike.svelte';
    import { findings } from '../state/findings.svelte';
    import { groups } from '../state/groups.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import type { Finding } from '../types/Finding';
    import type { Kind } from '../types/Kind';
    import { area, mm, percent } from './units';
    import MarkIcon from './MarkIcon.svelte';

    interface Props {
        kinds: Kind[];
        /** What is shown when nothing is open. */
        clear: string;
    }
    const { kinds, clear }: Props = $props();
    const dpi = $derived(sheet.view?.dpi ?? 300);
    const left = $derived(findings.left.length);
    const settled = $derived(sheet.view?.info.progress.settled ?? 0);

    function title(f: Finding) {
        switch (f.kind) {
            case 'gap':
                return `Gap ${mm(f.size, dpi)}`;
            case 'tail':
                return `Tail ${mm(f.size, dpi)} past a crossing`;
            case 'leak':
                return `Leak ${mm(f.size, dpi)} wide`;
            case 'loose_end':
                return 'Loose end';
            case 'sliver':
                return `Sliver ${area(f.size, dpi)}`;
            case 'unpainted':
                return `Unpainted, ${area(f.size, dpi)}`;
            case 'two_paints':
                return 'Two paints in one region';
            case 'doubtful': {
                const [first, second] = (f.like?.swatches ?? []).map((id) => shots.nameOf(id));
                return second ? `Looks like ${first}, may be ${second}` : `Looks like ${first}`;
            }
            case 'unlike':
                return `Unlike ${f.like?.drawing}: ${shots.nameOf(f.like?.swatches[0] ?? '')} there`;
        }
    }

    function says(f: Finding) {
        const sure = `${percent(f.confidence)} sure`;
        switch (f.kind) {
            case 'gap': {
                if (!f.parts) return `encloses nothing by itself · ${sure}`;
                const outside = f.parts.includes(null);
                return `${outside ? 'leaks to the outside' : 'parts 2 regions'} · ${sure}`;
            }
            case 'tail':
                return f.sure ? `cut at the other line's edge · ${sure}` : `may be meant · ${sure}`;
            case 'leak':
                return f.parts?.includes(null) ? 'paint gets out beside this end' : 'paint gets into the next region';
            case 'loose_end':
                return 'ends freely, as most do';
            case 'sliver':
                return 'too small to be meant?';
            case 'unpainted':
                return `region ${f.region}`;
            case 'two_paints':
                return 'the newest is shown';
            case 'doubtful':
                return `carried from ${f.like?.drawing} · ${sure}`;
            case 'unlike':
                return `painted by hand here · ${sure}`;
        }
    }

    const DONE = { left: 'left', bridged: 'closed', seamed: 'closed by a seam', cut: 'cut' };

    function told(f: Finding) {
        const elsewhere = alike.decision(f);
        if (elsewhere) return `${DONE[elsewhere.how]} in ${elsewhere.drawing}`;
        return f.left ? 'left knowingly' : says(f);
    }

    /** Rows are all as high, so that of thousands only those in view are made. */
    const ROW = 45;
    const MORE = 8;
    let list: HTMLElement | undefined = $state();
    let scrolled = $state(0);
    let height = $state(400);
    /** Where the quiet ones are folded: behind all that are open. */
    const fold = $derived(
        findings.showLeft || findings.quiet.length === 0
            ? -1
            : findings.listed.length - (findings.unfolded ? findings.quiet.length : 0),
    );
    /** Groups that are unfolded, by their first finding. */
    let unfolded = $state<string[]>([]);
    interface Group {
        of: Finding;
        list: Finding[];
        open: boolean;
    }
    type Row = Finding | Group | 'fold';
    /** Those that are alike as one row, which unfolds. */
    function grouped(list: Finding[]): Row[] {
        if (groups.told.length === 0) return list;
        const out: Row[] = [];
        for (const part of groups.parts(list)) {
            if (!Array.isArray(part)) {
                out.push(part);
                continue;
            }
            const here = part.some((o) => o.id === findings.current?.id);
            const open = here || part.some((o) => unfolded.includes(o.id));
            out.push({ of: part[0]!, list: part, open });
            if (open) out.push(...part);
        }
        return out;
    }
    const all = $derived.by((): Row[] => {
        if (fold < 0) return grouped(findings.listed);
        return [...grouped(findings.listed.slice(0, fold)), 'fold', ...grouped(findings.listed.slice(fold))];
    });
    const isGroup = (r: Row): r is Group => r !== 'fold' && 'list' in r;
    const keyOf = (r: Row) => (r === 'fold' ? r : isGroup(r) ? `group ${r.of.id}` : r.id);
    function toggle(g: Group) {
        const ids = g.list.map((f) => f.id);
        if (g.open && g.list.some((f) => f.id === findings.current?.id)) findings.at = null;
        unfolded = g.open ? unfolded.filter((id) => !ids.includes(id)) : [...unfolded, g.of.id];
    }
    const many = (f: Finding, n: number) => `${n} ${KIND_NAMES[f.kind][1].toLowerCase()} alike`;
    const first = $derived(Math.max(0, Math.floor(scrolled / ROW) - MORE));
    const rows = $derived(all.slice(first, first + Math.ceil(height / ROW) + 2 * MORE));

    /** Keeps the finding in hand in view. */
    $effect(() => {
        const i = findings.current ? all.indexOf(findings.current) : -1;
        if (i < 0 || !list) return;
        const top = i * ROW;
        if (top < list.scrollTop) list.scrollTop = top;
        else if (top + ROW > list.scrollTop + list.clientHeight) list.scrollTop = top + ROW - list.clientHeight;
    });
</script>

<section class="flex min-h-0 flex-1 flex-col border-t border-base-300 bg-base-200" aria-label="Findings">
    <h2 class="px-4 pt-3 pb-1.5 text-[17px] leading-tight">
        Findings <span class="quiet font-sans text-[13px] font-normal"
            >{findings.open.length} open · {settled} settled</span
        >
    </h2>
    <div class="flex flex-wrap gap-1.5 px-4 pb-2">
        <button
            class="chip"
            class:on={findings.only === null && !findings.showLeft}
            aria-pressed={findings.only === null && !findings.showLeft}
            onclick={() => ((findings.only = null), (findings.showLeft = false))}
        >
            All {findings.open.length}
        </button>
        {#each kinds as k (k)}
            {@const n = findings.count(k)}
            {@const on = findings.only === k && !findings.showLeft}
            {#if (n > 0 || on || findings.unfoldedKinds.includes(k)) && kinds.length > 1}
                <button
                    class="chip"
                    class:on
                    aria-pressed={on}
                    onclick={() => ((findings.only = k), (findings.showLeft = false))}
                >
                    {KIND_NAMES[k][1]}
                    {n > 0 ? n : ''}
                </button>
            {/if}
        {/each}
        {#if left > 0 || findings.showLeft}
            <button
                class="chip"
                class:on={findings.showLeft}
                aria-pressed={findings.showLeft}
                onclick={() => ((findings.only = null), (findings.showLeft = true))}>Left {left}</button
            >
        {/if}
    </div>
    {#if findings.only !== null && !findings.showLeft && findings.count(findings.only) > 1}
        <button
            class="btn btn-ghost btn-xs mx-3 mb-2 self-start text-primary"
            disabled={sheet.late}
            onclick={() => findings.leaveListed()}>Leave these {findings.count(findings.only)} as they are</button
        >
    {/if}
    {#if alike.offered.length > 0 && !findings.showLeft}
        <button
            class="btn btn-ghost btn-xs mx-3 mb-2 self-start text-primary"
            disabled={sheet.late}
            title="What was decided at the like places of other drawings of the shot"
            onclick={() => alike.doAsDecided(alike.offered)}
            >Do {alike.offered.length} as in {[...new Set(alike.offered.map((f) => alike.decision(f)?.drawing))].join(
                ', ',
            )}</button
        >
    {/if}
    {#if findings.listed.length === 0 || fold === 0}
        <p class="quiet px-4 pb-3 text-[13px]">{findings.open.length === 0 ? clear : 'None of this kind is open.'}</p>
    {/if}
    <ul
        class="relative min-h-0 flex-1 overflow-y-auto"
        bind:this={list}
        bind:clientHeight={height}
        onscroll={(e) => (scrolled = e.currentTarget.scrollTop)}
    >
        {#if all.length > 0}
            <li aria-hidden="true" style:height="{all.length * ROW}px"></li>
        {/if}
        {#each rows as f, i (keyOf(f))}
            {#if f === 'fold'}
                <li
                    class="absolute inset-x-0 border-t border-base-300"
                    style:top="{(first + i) * ROW}px"
                    style:height="{ROW}px"
                >
                    <button
                        type="button"
                        class="quiet flex h-full w-full cursor-pointer items-center gap-2 px-4 text-left text-[13px] hover:bg-base-100/60"
                        aria-expanded={findings.unfolded}
                        title="At hand if you want them; nothing speaks for a fault"
                        onclick={() => (findings.unfolded = !findings.unfolded)}
                    >
                        <span class="w-[24px] text-center" aria-hidden="true">{findings.unfolded ? '▾' : '▸'}</span>
                        {findings.quiet.length} quiet
                    </button>
                </li>
            {:else if isGroup(f)}
                <li
                    class="absolute inset-x-0 flex items-center overflow-hidden border-t border-base-300"
                    style:top="{(first + i) * ROW}px"
                    style:height="{ROW}px"
                >
                    <button
                        type="button"
                        class="grid h-full min-w-0 flex-1 cursor-pointer grid-cols-[24px_1fr] items-center gap-2 pl-4 text-left text-[13px] hover:bg-base-100/60"
                        aria-expanded={f.open}
                        onclick={() => toggle(f)}
                    >
                        <MarkIcon kind={f.of.kind} />
                        <span class="truncate">{f.open ? '▾' : '▸'} {many(f.of, f.list.length)}</span>
                    </button>
                    {#if !f.of.left && (f.of.kind === 'gap' || f.of.kind === 'leak' || f.of.kind === 'tail')}
                        <button
                            class="btn btn-ghost btn-xs text-primary"
                            disabled={sheet.late}
                            onclick={() => alike.settleLike(f.of)}>{f.of.kind === 'tail' ? 'Cut' : 'Close'} all</button
                        >
                    {/if}
                    <button
                        class="btn btn-ghost btn-xs mr-2 text-primary"
                        disabled={sheet.late}
                        onclick={() => alike.leaveLike(f.of)}>{f.of.left ? 'Open' : 'Leave'} all</button
                    >
                </li>
            {:else}
                {@const here = f.id === findings.current?.id}
                <li
                    class="absolute inset-x-0 overflow-hidden border-t border-base-300"
                    style:top="{(first + i) * ROW}px"
                    style:height="{ROW}px"
                    aria-setsize={findings.listed.length}
                    aria-posinset={findings.listed.indexOf(f) + 1}
                >
                    <button
                        type="button"
                        class="grid h-full w-full cursor-pointer grid-cols-[24px_1fr_auto] items-center gap-2 px-4 text-left text-[13px] leading-tight {here
                            ? 'bg-base-100 shadow-[inset_4px_0_0_var(--color-secondary)]'
                            : 'hover:bg-base-100/60'}"
                        aria-current={here ? 'true' : undefined}
                        onclick={() => findings.show(f)}
                    >
                        <MarkIcon kind={f.kind} />
                        <span class="min-w-0"
                            ><span class="block truncate">{title(f)}</span><small
                                class="quiet block truncate text-[12px]">{told(f)}</small
                            ></span
                        >
                        {#if here}<kbd class="key">{f.left ? 'X' : 'A'}</kbd>{:else if f.sure}<span
                                class="quiet text-[12px]">sure</span
                            >{/if}
                    </button>
                </li>
            {/if}
        {/each}
    </ul>
    <p class="quiet border-t border-base-300 px-4 py-1.5 text-[12px]">
        <kbd class="key">J</kbd> <kbd class="key">K</kbd> next, previous&ensp;<kbd class="key">A</kbd> accept&ensp;<kbd
            class="key">X</kbd
        >
        leave&ensp;<kbd class="key">?</kbd> all
    </p>
</section>

<style>
    .chip {
        cursor: pointer;
        font-size: 12px;
        padding: 2px 9px;
        border-radius: 20px;
        background: var(--color-base-100);
        border: 1px solid var(--color-base-300);
    }
    .chip.on {
        background: var(--color-neutral);
        color: var(--color-neutral-content);
        border-color: var(--color-neutral);
    }
</style>
