<script lang="ts">
    import Plus from '@lucide/svelte/icons/plus';
    import CarryPaint from '../parts/CarryPaint.svelte';
    import ColourList from '../parts/ColourList.svelte';
    import ColourMenu from '../parts/ColourMenu.svelte';
    import FindingsList from '../parts/FindingsList.svelte';
    import NoLines from '../parts/NoLines.svelte';
    import SwatchEditor from '../parts/SwatchEditor.svelte';
    import { bench } from '../state/bench.svelte';
    import { colours } from '../state/colours.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import { hex } from '../parts/units';

    const view = $derived(sheet.view);
    const edited = $derived(colours.swatches.find((s) => s.id === colours.edited));
    const empties = $derived(view?.regions.count((r) => !r.swatch) ?? 0);

    let name = $state('');
    let adding = $state(false);
    async function add(e: SubmitEvent) {
        e.preventDefault();
        const called = name.trim();
        const id = called.toLowerCase().replaceAll(/[^\p{L}\p{N}]+/gu, '-') || 'colour';
        const { colour = [143, 176, 138], group = '' } = colours.current ?? {};
        const swatch = { id, name: called, colour: colour as [number, number, number], group, tones: {}, note: '' };
        // One that was refused stays in hand, name and all.
        if (!(await colours.add({ tones: [], swatches: [swatch] }))) return;
        colours.edited = colours.swatch;
        name = '';
        adding = false;
    }
    const label = (paint: string) => shots.nameOf(paint);
</script>

{#if view && !view.traced}
    <NoLines station="Paint" missing="regions" />
{:else if view}
    <div class="relative flex min-h-0 flex-col" style:max-height={edited ? '40%' : '56%'}>
        <div class="flex items-start gap-2 px-4 pt-3 pb-2">
            <div class="flex-1">
                <h2 class="text-[17px] leading-tight">Colour model</h2>
                <p class="quiet text-[12.5px]">
                    {view.info.progress.painted} of {view.regions.size} painted{#if view.info.progress.carried > 0},
                        {view.info.progress.carried} carried{/if}
                </p>
            </div>
            <button class="btn btn-ghost btn-xs text-primary" onclick={() => (adding = !adding)}
                ><Plus size={13} />swatch</button
            >
            <ColourMenu />
        </div>
        {#if view.info.progress.beyond > 0}
            <p class="mx-4 mb-2 rounded-lg bg-secondary/20 px-3 py-1.5 text-[12.5px]" role="alert">
                {view.info.progress.beyond} more regions are beyond those that can be told apart: they cannot be filled. Take
                specks and hatching out of the drawing, or trace with a larger smallest piece.
            </p>
        {/if}
        {#if adding}
            <form class="flex items-center gap-2 px-4 pb-2" onsubmit={add}>
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
        {/if}
        <div class="flex items-center gap-1 px-4 pb-2" role="group" aria-label="Tone in hand">
            {#each [{ id: null, name: 'Base' }, ...colours.tones] as t (t.id)}
                <button
                    class="btn btn-xs flex-1 {colours.tone === t.id ? 'btn-primary' : 'btn-ghost bg-base-200'}"
                    aria-pressed={colours.tone === t.id}
                    onclick={() => (colours.tone = t.id)}><span class="truncate">{t.name}</span></button
                >
            {/each}
        </div>
        <ColourList />
        {#if !edited}
            <div class="flex items-center gap-1.5 border-t border-base-300 px-4 py-1.5">
                {#each colours.recent as paint (paint)}
                    {@const colour = shots.rgb.get(paint)}
                    {#if colour}
                        <button
                            class="size-5 cursor-pointer rounded-full border border-black/25"
                            style:background={hex(colour)}
                            title="{label(paint)}: in hand before"
                            aria-label="Take {label(paint)} again"
                            onclick={() => (colours.take(paint), (bench.tool = 'fill'))}
                        ></button>
                    {/if}
                {:else}
                    <span class="quiet text-[12.5px]"
                        ><kbd class="key">⇧ 1</kbd> … <kbd class="key">⇧ 9</kbd> take a swatch</span
                    >
                {/each}
                {#if colours.recent.length > 0}<kbd class="key" title="What was in hand before">E</kbd>{/if}
                <button
                    class="btn btn-xs btn-outline btn-primary ml-auto"
                    disabled={!colours.paint || empties === 0}
                    onclick={() =>
                        colours.paint && sheet.do({ of: 'paint', do: 'fill_empties', swatch: colours.paint })}
                    title="Fills every region that has no paint with the swatch in hand"
                    >Fill {empties} empt{empties === 1 ? 'y' : 'ies'}</button
                >
            </div>
        {/if}
    </div>
    {#if edited}
        <SwatchEditor swatch={edited} />
    {:else}
        <FindingsList
            kinds={['unpainted', 'doubtful', 'unlike', 'two_paints']}
            clear="Every region is painted or left knowingly."
        />
        <CarryPaint />
    {/if}
{/if}
