<script lang="ts">
    import Plus from '@lucide/svelte/icons/plus';
    import FindingsList from '../parts/FindingsList.svelte';
    import NoLines from '../parts/NoLines.svelte';
    import { bench } from '../state/bench.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import type { Swatch } from '../types/Swatch';
    import { fromHex, hex } from '../parts/units';

    const view = $derived(sheet.view);
    const swatches = $derived(shots.shot?.swatches ?? []);
    const used = $derived.by(() => {
        const n: Record<string, number> = {};
        for (const r of view?.regions.all() ?? []) if (r.swatch) n[r.swatch] = (n[r.swatch] ?? 0) + 1;
        return n;
    });
    $effect(() => {
        if (!swatches.some((s) => s.id === bench.swatch)) bench.swatch = swatches[0]?.id ?? null;
    });

    function change(id: string, by: Partial<Swatch>) {
        void shots.setSwatches(swatches.map((s) => (s.id === id ? { ...s, ...by } : s)));
    }

    let name = $state('');
    let colour = $state('#8fb08a');
    let adding = $state(false);
    async function add(e: SubmitEvent) {
        e.preventDefault();
        const id = `${name
            .trim()
            .toLowerCase()
            .replaceAll(/[^a-z0-9]+/g, '-')}-${Date.now().toString(36)}`;
        // One that was refused stays in hand, name and all.
        if (!(await shots.setSwatches([...swatches, { id, name: name.trim(), colour: fromHex(colour) }]))) return;
        bench.swatch = id;
        name = '';
        adding = false;
    }
    const empties = $derived(view?.regions.count((r) => !r.swatch) ?? 0);
</script>

{#if view && !view.traced}
    <NoLines station="Paint" missing="regions" />
{:else if view}
    <div class="flex max-h-[56%] flex-col">
        <div class="px-4 pt-3 pb-2">
            <h2 class="text-[17px] leading-tight">Colour model</h2>
            <p class="quiet text-[12.5px]">
                The shot’s · {swatches.length} swatches · {view.info.progress.painted} of {view.regions.size} regions painted
            </p>
            {#if view.info.progress.beyond > 0}
                <p class="mt-1 rounded-lg bg-secondary/20 px-3 py-1.5 text-[12.5px]" role="alert">
                    {view.info.progress.beyond} more regions are beyond those that can be told apart: they cannot be filled.
                    Take specks and hatching out of the drawing, or trace with a larger smallest piece.
                </p>
            {/if}
        </div>
        <ul class="min-h-0 overflow-y-auto border-t border-base-300" aria-label="Swatches">
            {#each swatches as s (s.id)}
                {@const here = s.id === bench.swatch}
                <li
                    class="grid grid-cols-[34px_1fr_auto] items-center gap-2.5 border-b border-base-300 px-4 py-1 text-[13px] {here
                        ? 'bg-base-200 shadow-[inset_4px_0_0_var(--color-secondary)]'
                        : ''}"
                >
                    <input
                        type="color"
                        class="h-6 w-[34px] cursor-pointer rounded-md border border-black/20"
                        aria-label="Colour of {s.name}"
                        title="Changes it everywhere it is used"
                        value={hex(s.colour)}
                        onchange={(e) => change(s.id, { colour: fromHex(e.currentTarget.value) })}
                    />
                    <button
                        class="cursor-pointer py-0.5 text-left {here ? 'font-semibold' : ''}"
                        aria-pressed={here}
                        onclick={() => ((bench.swatch = s.id), (bench.tool = 'fill'))}>{s.name}</button
                    >
                    <span class="quiet text-[12px]">{used[s.id] ?? 0}</span>
                </li>
            {:else}
                <li class="quiet px-4 py-3 text-[13px]">No swatches yet. Add the first one to fill with.</li>
            {/each}
        </ul>
        <div class="flex flex-wrap items-center gap-2 px-4 py-2">
            {#if adding}
                <form class="flex w-full items-center gap-2" onsubmit={add}>
                    <input
                        type="color"
                        class="h-8 w-9 rounded border border-base-300"
                        bind:value={colour}
                        aria-label="Colour"
                    />
                    <!-- svelte-ignore a11y_autofocus -->
                    <input
                        class="input input-sm flex-1"
                        placeholder="Name"
                        required
                        maxlength="60"
                        autofocus
                        bind:value={name}
                    />
                    <button class="btn btn-primary btn-sm">Add</button>
                </form>
            {:else}
                <button class="btn btn-ghost btn-xs text-primary" onclick={() => (adding = true)}
                    ><Plus size={13} />swatch</button
                >
                <button
                    class="btn btn-sm btn-outline btn-primary ml-auto"
                    disabled={!bench.swatch || empties === 0}
                    onclick={() => bench.swatch && sheet.do({ of: 'paint', do: 'fill_empties', swatch: bench.swatch })}
                    title="Fills every region that has no paint with the swatch in hand"
                    >Fill {empties} empt{empties === 1 ? 'y' : 'ies'}</button
                >
            {/if}
        </div>
    </div>
    <FindingsList kinds={['unpainted', 'two_paints']} clear="Every region is painted or left knowingly." />
{/if}
