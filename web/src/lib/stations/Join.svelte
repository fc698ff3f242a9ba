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
    const px = (mm: number) => ((mm / 25.4) * (view?.dpi ?? 300)).toFixed(0);
</script>

{#if view && !view.traced}
    <NoLines station="Join" missing="lines" />
{:else if view && draft}
    <div class="px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Join</h2>
        <p class="quiet text-[12.5px]">Close what should be closed, cut what runs past.</p>
        {#if view.stale}
            <p class="mt-2 rounded-lg bg-secondary/20 px-3 py-1.5 text-[12.5px]">
                Settings were changed after tracing. <button class="link" onclick={() => bench.enter('trace')}
                    >Trace again at Trace</button
                >
            </p>
        {/if}
        <Slider
            label="Longest gap"
            value={draft.longest_gap}
            min={0}
            max={6}
            step={0.1}
            shown="{draft.longest_gap.toFixed(1)} mm · {px(draft.longest_gap)} px"
            oninput={(v) => move({ longest_gap: v })}
            onsave={(soon) => settings.save(soon)}
        />
        <Slider
            label="Longest tail to cut"
            value={draft.longest_tail}
            min={0}
            max={6}
            step={0.1}
            shown="{draft.longest_tail.toFixed(1)} mm · {px(draft.longest_tail)} px"
            oninput={(v) => move({ longest_tail: v })}
            onsave={(soon) => settings.save(soon)}
        />
        <Choice
            label="Close sure gaps with"
            value={draft.close_with}
            options={[
                { value: 'bridge', name: 'Ink bridge', help: 'Ink that continues both lines' },
                { value: 'seam', name: 'Seam', help: 'A boundary without ink' },
            ]}
            onchoose={(v) => {
                move({ close_with: v });
                void settings.save();
            }}
        />
        <button
            class="btn btn-primary btn-sm mt-3"
            disabled={findings.sure.length === 0 || sheet.late}
            onclick={() => findings.settleSure()}
        >
            {findings.sure.length === 0
                ? 'No sure ones left'
                : `Settle ${findings.sure.length} sure one${findings.sure.length === 1 ? '' : 's'}`}
        </button>
    </div>
    <FindingsList
        kinds={['gap', 'tail', 'leak', 'loose_end', 'sliver']}
        clear="Nothing is open: every line is joined, cut or left knowingly."
    />
{/if}
