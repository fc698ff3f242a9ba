<script lang="ts">
    import FileUp from '@lucide/svelte/icons/file-up';
    import Plus from '@lucide/svelte/icons/plus';
    import DrawingRow from './parts/DrawingRow.svelte';
    import { KIND_NAMES } from './drawn/marks';
    import Renumber from './parts/Renumber.svelte';
    import ShotActions from './parts/ShotActions.svelte';
    import ShotNav from './parts/ShotNav.svelte';
    import Who from './parts/Who.svelte';
    import { shots } from './state/shots.svelte';
    import { openOf, table, type Listed, type Since, type SortedBy } from './state/table.svelte';

    interface Props {
        onbringin: () => void;
    }
    const { onbringin }: Props = $props();
    let nav: ShotNav;
    let renumbering = $state(false);
    const shot = $derived(shots.shot);
    const drawings = $derived(shot?.drawings ?? []);
    const ready = $derived(drawings.filter((d) => d.ready).length);
    const open = $derived(drawings.reduce((n, d) => n + openOf(d), 0));
    const carried = $derived({
        drawings: drawings.filter((d) => d.progress.carried > 0).length,
        doubtful: drawings.reduce((n, d) => n + d.progress.doubtful, 0),
    });
    const frames = $derived(drawings.reduce((n, d) => n + d.hold, 0));
    const LISTED: Listed[] = ['all', 'open', 'sure', 'not lifted', 'not painted', 'worked on', 'ready'];
    const SAYS: Record<string, string> = {
        all: 'all drawings',
        open: 'with something open',
        sure: 'with sure ones',
        'not lifted': 'not lifted',
        'not painted': 'not painted',
        'worked on': 'somebody is on',
        ready: 'ready',
    };
    const SINCE: { value: Since; name: string }[] = [
        { value: 'ever', name: 'at any time' },
        { value: 'hour', name: 'in the last hour' },
        { value: 'day', name: 'in the last day' },
        { value: 'week', name: 'in the last week' },
    ];
    const HEADS: { name: string; by: SortedBy | null; help?: string }[] = [
        { name: 'Drawing', by: 'name', help: 'By the numbers in the names, or as they hang' },
        { name: 'Lift', by: null },
        { name: 'Join', by: 'open', help: 'Those with most open first' },
        { name: 'Paint', by: null },
        { name: 'Hand off', by: null },
        { name: 'Frames', by: null },
        { name: 'Changed', by: 'changed', help: 'The last changed first' },
    ];
</script>

<div class="grid h-full grid-cols-[264px_1fr] grid-rows-[58px_1fr]">
    <header class="col-span-2 flex items-center gap-4 border-b border-base-300 px-4">
        <span class="font-head text-[21px] font-semibold tracking-tight text-primary">Rhizograph</span>
        <span class="text-[13px]">{shots.production?.name ?? ''}</span>
        <span class="flex-1"></span>
        <button class="btn btn-sm btn-outline btn-primary" disabled={!shots.loaded} onclick={() => nav.askNewShot()}
            ><Plus size={15} />New shot</button
        >
        <button class="btn btn-sm btn-primary" disabled={!shot} onclick={onbringin}
            ><FileUp size={15} />Bring in drawings</button
        >
        <Who />
    </header>
    <ShotNav bind:this={nav} />
    <main class="overflow-y-auto px-7 py-5">
        {#if shot}
            <div class="flex flex-wrap items-baseline gap-x-4">
                <h1 class="text-[26px]">{shot.name}</h1>
                <span class="quiet"
                    >shot {shot.number} · {drawings.length} drawing{drawings.length === 1 ? '' : 's'} · {frames} frame{frames ===
                    1
                        ? ''
                        : 's'}</span
                >
            </div>
            {#if drawings.length === 0}
                <button
                    class="mt-6 grid w-full cursor-pointer place-items-center gap-2 rounded-xl border-2 border-dashed border-base-300 py-16 hover:bg-base-200"
                    onclick={onbringin}
                >
                    <FileUp size={28} />
                    <b>Bring in drawings</b>
                    <span class="quiet"
                        >Drop PNG, JPEG, TIFF or SVG files anywhere, or click for files, sheet feeder and camera.</span
                    >
                </button>
            {:else}
                <div class="mt-3 flex flex-wrap items-center gap-2.5 text-[13px]">
                    <span class="pill"><b>{ready}</b> ready</span>
                    <span class="pill"><b>{open}</b> finding{open === 1 ? '' : 's'} open</span>
                    {#if table.kinds[0]}
                        <span class="pill"
                            >most in the way: <b>{KIND_NAMES[table.kinds[0][0]][1].toLowerCase()}</b></span
                        >
                    {/if}
                    {#if carried.drawings > 0}
                        <span class="pill"
                            ><b>{carried.drawings}</b> painted by carrying, <b>{carried.doubtful}</b> doubtful</span
                        >
                    {/if}
                </div>
                <div class="mt-3 mb-2 flex flex-wrap items-center gap-x-4 gap-y-2 text-[13px]">
                    <span class="basis-full"><ShotActions {shot} /></span>
                    <label class="flex items-center gap-1"
                        >Show
                        <select
                            class="cursor-pointer bg-base-100 font-semibold"
                            aria-label="Which drawings are shown"
                            bind:value={table.listed}
                        >
                            {#each LISTED as l (l)}<option value={l}>{SAYS[l]}</option>{/each}
                            {#each table.kinds as [kind, n] (kind)}<option value={kind}
                                    >{KIND_NAMES[kind][1]} ({n})</option
                                >{/each}
                        </select></label
                    >
                    <label class="flex items-center gap-1"
                        >changed
                        <select
                            class="cursor-pointer bg-base-100 font-semibold"
                            aria-label="Changed since"
                            bind:value={table.since}
                        >
                            {#each SINCE as s (s.value)}<option value={s.value}>{s.name}</option>{/each}
                        </select></label
                    >
                    <button class="link cursor-pointer" onclick={() => (renumbering = !renumbering)}>Renumber</button>
                </div>
                {#if renumbering}<Renumber {shot} ondone={() => (renumbering = false)} />{/if}
                <table class="w-full border-collapse text-[13px]">
                    <thead>
                        <tr class="quiet border-b border-base-300 text-[12.5px]">
                            {#each HEADS as h, i (h.name)}
                                <th
                                    class="py-1.5 {i === 0 ? 'px-3 text-left' : i === 6 ? 'px-2 text-left' : 'px-1'}"
                                    aria-sort={table.by === h.by ? 'ascending' : undefined}
                                >
                                    {#if h.by}
                                        <button
                                            class="cursor-pointer {table.by === h.by
                                                ? 'font-bold text-base-content'
                                                : ''}"
                                            title={h.help}
                                            onclick={() => (table.by = table.by === h.by ? 'order' : h.by!)}
                                            >{h.name}{table.by === h.by ? ' ↓' : ''}</button
                                        >
                                    {:else}{h.name}{/if}
                                </th>
                            {/each}
                            <th class="px-2 py-1.5 text-left">What is next</th>
                            <th></th>
                        </tr>
                    </thead>
                    <tbody>
                        {#each table.rows as d (d.id)}
                            <DrawingRow {d} inOrder={table.by === 'order'} />
                        {/each}
                    </tbody>
                </table>
                {#if table.rows.length === 0}
                    <p class="quiet px-3 py-6">
                        None of the {drawings.length} drawings is like that.
                        <button
                            class="link cursor-pointer"
                            onclick={() => {
                                table.listed = 'all';
                                table.since = 'ever';
                            }}>Show all</button
                        >
                    </p>
                {/if}
            {/if}
        {:else if shots.loaded}
            <h1 class="text-[26px]">Nothing here yet</h1>
            <p class="quiet mt-2">Add a shot, then bring in its drawings.</p>
        {/if}
    </main>
</div>
