<script lang="ts">
    import Choice from '../parts/Choice.svelte';
    import FindingsList from '../parts/FindingsList.svelte';
    import NoLines from '../parts/NoLines.svelte';
    import Slider from '../parts/Slider.svelte';
    import { bench } from '../state/bench.svelte';
    import { findings } from '../state/findings.svelte';
    import { settings } from '../state/inking.svelte';
    import { sheet } from '../state/sheet.svelte';
    import type { JoinRecipe } from '../types/JoinRecipe';

    const view = $derived(sheet.view);
    const draft = $derived(settings.join);
    const move = (change: Partial<JoinRecipe>) =>
        settings.move(() => settings.join && Object.assign(settings.join, change));
    /** The slider's end: no length is told, the line's own width tells. */
    const TO_LINE = 6;
    /** The recipe is folded away while findings are walked, unless it is asked for. */
    let shown = $state(false);
    const walking = $derived(findings.current !== null);
    $effect(() => {
        if (!walking) shown = false;
    });
    const open = $derived(!walking || shown);
    const px = (mm: number) => ((mm / 25.4) * (view?.dpi ?? 300)).toFixed(0);
</script>

{#if view && !view.traced}
    <NoLines station="Join" missing="lines" />
{:else if view && draft}
    <div class="px-4 pt-2.5 pb-2.5">
        <h2 class="sr-only">Join</h2>
        {#if view.stale}
            <p class="mb-2 rounded-lg bg-secondary/20 px-3 py-1.5 text-[12.5px]">
                Settings were changed after tracing. <button class="link" onclick={() => bench.enter('trace')}
                    >Trace again at Trace</button
                >
            </p>
        {/if}
        {#if open}
            <div class="grid grid-cols-2 gap-x-4 [&>*]:mt-0" id="join-recipe">
                <Slider
                    label="Longest gap"
                    value={draft.longest_gap}
                    min={0}
                    max={6}
                    step={0.1}
                    shown="{draft.longest_gap.toFixed(1)} mm"
                    help="{px(draft.longest_gap)} px: gaps up to this are looked for"
                    oninput={(v) => move({ longest_gap: v })}
                    onsave={(soon) => settings.save(soon)}
                />
                <Slider
                    label="Longest tail"
                    value={draft.longest_tail ?? TO_LINE}
                    min={0}
                    max={TO_LINE}
                    step={0.1}
                    shown={draft.longest_tail === null ? 'by its line' : `${draft.longest_tail.toFixed(1)} mm`}
                    help={draft.longest_tail === null
                        ? 'Up to three and a half widths of the line that runs past'
                        : `${px(draft.longest_tail)} px: tails up to this are looked for`}
                    oninput={(v) => move({ longest_tail: v >= TO_LINE ? null : v })}
                    onsave={(soon) => settings.save(soon)}
                />
            </div>
        {/if}
        <div class="flex items-center justify-between gap-3 {open ? 'mt-1.5' : ''}">
            {#if open}
                <Choice
                    label="Close sure gaps with"
                    compact
                    value={draft.close_with}
                    options={[
                        { value: 'bridge', name: 'Bridge', help: 'Close sure gaps with ink that continues both lines' },
                        { value: 'seam', name: 'Seam', help: 'Close sure gaps with a boundary without ink' },
                    ]}
                    onchoose={(v) => {
                        move({ close_with: v });
                        void settings.save();
                    }}
                />
            {:else}
                <button
                    class="quiet min-w-0 cursor-pointer truncate text-left text-[12.5px] hover:underline"
                    aria-expanded="false"
                    title="Show the recipe"
                    onclick={() => (shown = true)}
                    >▸ Gaps to {draft.longest_gap.toFixed(1)} mm, {draft.close_with === 'seam'
                        ? 'seams'
                        : 'bridges'}</button
                >
            {/if}
            <button
                class="btn btn-primary btn-sm shrink-0"
                disabled={findings.sure.length === 0 || sheet.late}
                onclick={() => findings.settleSure()}
            >
                {findings.sure.length === 0
                    ? 'No sure ones left'
                    : `Settle ${findings.sure.length} sure one${findings.sure.length === 1 ? '' : 's'}`}
            </button>
        </div>
    </div>
    <FindingsList
        kinds={['gap', 'tail', 'leak', 'loose_end', 'sliver']}
        clear="Nothing is open: every line is joined, cut or left knowingly."
    />
{/if}
