<script lang="ts">
    import BrushPanel from '../parts/BrushPanel.svelte';
    import Choice from '../parts/Choice.svelte';
    import LineWeight from '../parts/LineWeight.svelte';
    import Slider from '../parts/Slider.svelte';
    import TraceFooter from '../parts/TraceFooter.svelte';
    import Variants from '../parts/Variants.svelte';
    import { bench } from '../state/bench.svelte';
    import { settings } from '../state/inking.svelte';
    import { sheet } from '../state/sheet.svelte';
    import type { Placement } from '../types/Placement';

    const view = $derived(sheet.view);
    const weight = $derived(settings.weight);
    /** Vector art has no lifted ink: only its lines are weighed. */
    const lines = $derived(!!view?.traced && (bench.weighs === 'lines' || !view.lift));
    const specks = $derived(settings.facts?.specks_left ?? 0);
    const PLACEMENTS: { value: Placement; name: string; help: string }[] = [
        { value: 'both', name: 'Both sides', help: 'Every edge of the ink moves' },
        { value: 'outward', name: 'Outward', help: 'Only the outer contour moves; what is enclosed stays as it is' },
        {
            value: 'inward',
            name: 'Inward',
            help: 'The outer contour stays; what is enclosed gets narrower, pale ink darker',
        },
    ];
    const px = (v: number) => `${((v / 25.4) * (view?.dpi ?? 300)).toFixed(1)} px`;
    const signed = (v: number) => `${v > 0 ? '+' : v < 0 ? '−' : ''}${Math.abs(v).toFixed(2)} mm`;
</script>

{#if view && !view.lift && !view.trouble && !view.traced}
    <p class="p-4 text-[13px]">Nothing was lifted yet.</p>
{:else if view && weight}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Weight</h2>
        <p class="quiet text-[12.5px]">Thicker or thinner, by any fraction. Thinning never breaks a line.</p>
        {#if view.traced && view.lift}
            <Choice
                label="Work on"
                value={bench.weighs}
                options={[
                    { value: 'ink', name: 'Lifted ink', help: 'The pixels, before they are traced' },
                    { value: 'lines', name: 'Traced lines', help: 'Line by line, after tracing' },
                ]}
                onchoose={(v) => {
                    bench.weighs = v;
                    bench.tool = v === 'lines' ? 'choose' : 'look';
                }}
            />
        {/if}
        {#if lines}
            <LineWeight />
        {:else if view.lift || view.trouble}
            <Slider
                label="Each edge moves by"
                value={weight.amount}
                min={-0.4}
                max={0.6}
                step={0.005}
                shown="{signed(weight.amount)} · {px(weight.amount)}"
                oninput={(v) => settings.move(() => (weight.amount = v))}
                onsave={(soon) => settings.save(soon)}
            />
            <Choice
                label="Where"
                value={weight.placement}
                options={PLACEMENTS}
                onchoose={(placement) => settings.setWeight({ placement })}
            />
            {#if weight.amount < 0}
                <Slider
                    label="No line thinner than"
                    help="What is thinner already stays as it is"
                    value={weight.floor}
                    min={0}
                    max={1}
                    step={0.01}
                    shown="{weight.floor.toFixed(2)} mm · {px(weight.floor)}"
                    oninput={(v) => settings.move(() => (weight.floor = v))}
                    onsave={(soon) => settings.save(soon)}
                />
            {/if}
            {#if weight.amount > 0 && specks > 0}
                <p class="mt-2.5 rounded-lg bg-secondary/25 px-3 py-2 text-[13px]" role="status">
                    <b>{specks} speck{specks === 1 ? '' : 's'} would be thickened too.</b>
                    <button class="link" onclick={() => bench.enter('lift')}>Take them away at Lift</button>, or protect
                    those that are meant.
                </p>
            {/if}
            <Variants />
            <fieldset class="mt-3 border-t border-base-300 pt-1.5">
                <legend class="sr-only">Only where painted</legend>
                <div class="flex items-baseline justify-between text-[13px]">
                    <span>Only where painted</span>
                    <button
                        class="btn btn-ghost btn-xs text-primary"
                        aria-pressed={bench.tool === 'area'}
                        onclick={() => (bench.tool = bench.tool === 'area' ? 'look' : 'area')}
                        >{bench.tool === 'area' ? 'done painting' : 'paint an area'}</button
                    >
                </div>
                <p class="quiet text-[12.5px]">
                    {view.by_hand.touches.some((t) => t.effect === 'weight') || view.by_hand.inverted.includes('weight')
                        ? 'The painted area limits the change.'
                        : 'Nothing painted: the whole sheet changes.'}
                </p>
                {#if bench.tool === 'area'}<BrushPanel effect="weight" />{/if}
            </fieldset>
        {/if}
    </div>
    <TraceFooter />
{/if}
