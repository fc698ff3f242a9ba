<script lang="ts">
    import RotateCw from '@lucide/svelte/icons/rotate-cw';
    import { bench } from '../state/bench.svelte';
    import { intake } from '../state/intake.svelte';
    import { sheet } from '../state/sheet.svelte';
    import LayersOfFile from '../parts/LayersOfFile.svelte';
    import { mm } from '../parts/units';

    const view = $derived(sheet.view);
    const recipe = $derived(view?.recipes.intake);
    let dpi = $state(300);
    $effect(() => {
        if (view) dpi = view.dpi;
    });

    function setDpi(e: SubmitEvent) {
        e.preventDefault();
        void sheet.do({ of: 'intake', do: 'resolution', dpi });
    }
</script>

{#snippet row(name: string, says: string, off: (() => void) | null)}
    <div class="flex items-baseline gap-2 border-t border-base-300 py-1.5 text-[13px]">
        <span class="w-[92px] shrink-0">{name}</span>
        <span class="flex-1">{says}</span>
        {#if off}<button class="btn btn-ghost btn-xs text-primary" onclick={off}>undo it</button>{/if}
    </div>
{/snippet}

{#if view && recipe && !view.lift && !view.trouble}
    <div class="p-4">
        <h2 class="text-[17px]">Intake</h2>
        <p class="quiet mt-1 text-[13px]">This drawing came in as vector art: there is no sheet to lay out.</p>
        <LayersOfFile />
        <button class="btn btn-primary btn-sm mt-3" onclick={() => bench.enter('join')}>Go on to Join</button>
    </div>
{:else if view && recipe}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Intake</h2>
        <p class="quiet text-[12.5px]">How the sheet is laid out. The original stays as it came, byte for byte.</p>
        {#each view.notes as note (note)}
            <p class="mt-2 rounded-lg bg-secondary/20 px-3 py-1.5 text-[12.5px] first-letter:uppercase" role="status">
                {note}.
            </p>
        {/each}

        <form
            class="mt-3 rounded-lg px-3 py-2 {view.dpi_assumed ? 'bg-secondary/25' : 'bg-base-200'}"
            onsubmit={setDpi}
        >
            <label class="flex items-center gap-2 text-[13px]">
                <span class="flex-1">Resolution</span>
                <input
                    class="input input-xs w-[76px] text-right"
                    type="number"
                    min="20"
                    max="4800"
                    step="any"
                    aria-label="Resolution in dpi"
                    bind:value={dpi}
                />
                dpi
                <button class="btn btn-primary btn-xs" disabled={dpi === view.dpi && !view.dpi_assumed}>Set</button>
            </label>
            <p class="mt-1 text-[12.5px]">
                {#if view.dpi_assumed}
                    <b>The file does not tell.</b> 300 is assumed; at {view.dpi} dpi the sheet is
                {:else}
                    The sheet is
                {/if}
                {mm(view.width, view.dpi, 0)} × {mm(view.height, view.dpi, 0)}.
            </p>
        </form>

        <div class="mt-3">
            {@render row(
                'Perspective',
                recipe.corners ? 'squared up by its four corners' : 'as it came',
                recipe.corners ? () => void intake.set({ corners: null, register: null, crop: null }) : null,
            )}
            {@render row(
                'Turned',
                `${recipe.quarter_turns * 90}°`,
                recipe.quarter_turns ? () => void intake.set({ quarter_turns: 0, register: null, crop: null }) : null,
            )}
            {#if recipe.register}
                {@render row(
                    'Lined up',
                    recipe.register.pegs ? 'by its peg holes, with the shot' : 'by two marks, with the shot',
                    () => void intake.set({ register: null, crop: null }),
                )}
            {:else}
                {@render row(
                    'Straightened',
                    recipe.straighten ? `by ${recipe.straighten.toFixed(2)}°` : 'not',
                    recipe.straighten ? () => void intake.set({ straighten: 0 }) : null,
                )}
            {/if}
            {@render row(
                'Cropped',
                recipe.crop ? `to ${mm(recipe.crop[2], view.dpi, 0)} × ${mm(recipe.crop[3], view.dpi, 0)}` : 'not',
                recipe.crop ? () => void intake.set({ crop: null }) : null,
            )}
            {#if recipe.holes.length > 0}{@render row(
                    'Peg holes',
                    `${recipe.holes.length} covered with paper`,
                    null,
                )}{/if}
        </div>

        <div class="mt-3 grid grid-cols-2 gap-2">
            <button class="btn btn-sm btn-outline btn-primary" disabled={sheet.busy} onclick={() => intake.turn()}
                ><RotateCw size={15} />Quarter turn</button
            >
            <button
                class="btn btn-sm btn-outline btn-primary"
                disabled={sheet.busy}
                onclick={() => intake.takeCorners()}>Four corners</button
            >
        </div>
        <LayersOfFile />
        {#if bench.corners}
            <div class="mt-3 rounded-lg bg-base-200 px-3 py-2.5 text-[13px]">
                <p>Drag the four handles onto the paper's corners on the original.</p>
                <div class="mt-2 flex gap-2">
                    <button class="btn btn-primary btn-sm" disabled={sheet.busy} onclick={() => intake.squareUp()}
                        >Square up</button
                    >
                    <button
                        class="btn btn-ghost btn-sm"
                        onclick={() => {
                            bench.corners = null;
                            bench.tool = 'look';
                        }}>Cancel</button
                    >
                </div>
            </div>
        {:else if bench.tool === 'level'}
            <p class="mt-3 text-[13px]">Draw along a line of the sheet that should be level or upright.</p>
        {:else if bench.tool === 'crop'}
            <p class="mt-3 text-[13px]">Drag a box around what is to stay.</p>
        {:else if bench.tool === 'marks'}
            <p class="mt-3 text-[13px]">
                Drag from one mark of the sheet to another, the same two on every drawing: they are laid where the first
                drawing has them.
            </p>
        {/if}
    </div>
    <div class="border-t border-base-300 bg-base-200 px-4 py-3">
        {#if view.traced}<p class="quiet mb-2 text-[12.5px]">
                Lines and paint go along when the sheet is laid out anew.
            </p>{/if}
        <button class="btn btn-primary btn-sm" onclick={() => bench.enter('lift')}>Go on to Lift</button>
    </div>
{/if}
