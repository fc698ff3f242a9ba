<script lang="ts">
    import InHandPanel from '../parts/InHandPanel.svelte';
    import InkPlace from '../parts/InkPlace.svelte';
    import MendPanel from '../parts/MendPanel.svelte';
    import NoLines from '../parts/NoLines.svelte';
    import PenPanel from '../parts/PenPanel.svelte';
    import Snaps from '../parts/Snaps.svelte';
    import RoughBelow from '../parts/RoughBelow.svelte';
    import { bench, type ToolId } from '../state/bench.svelte';
    import { held } from '../state/held.svelte';
    import { pen } from '../state/pen.svelte';
    import { sheet } from '../state/sheet.svelte';

    const view = $derived(sheet.view);
    const INKS: ToolId[] = ['ink', 'line', 'rectangle', 'ellipse', 'curves'];
    const MENDS: ToolId[] = ['redraw', 'calm', 'press', 'bend', 'erase'];
    const inks = $derived(INKS.includes(bench.tool));
    const SAYS: Partial<Record<ToolId, string>> = {
        redraw: 'Draw over a stretch of a line.',
        calm: 'Rub along a line to smooth it.',
        press: 'Rub along a line to change its weight.',
        bend: 'Drag a line where it should go.',
        points: 'Click a line, then drag its points and handles.',
        erase: 'Takes off exactly what you pass over.',
        cut: 'Draw around what is to go; Shift: a box.',
        hold: 'Click lines, or draw around them.',
        rough: 'Drag the rough where it should lie.',
        look: 'Ink by hand; mend what was traced.',
    };
</script>

{#if view && !view.traced}
    <NoLines station="Draw" missing="lines to draw beside" />
{:else if view}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Draw</h2>
        <p class="quiet text-[12.5px]">{SAYS[bench.tool] ?? 'Ink by hand, beside what was traced.'}</p>
        {#if inks}
            <PenPanel />
            <InkPlace />
            <Snaps />
        {:else if bench.tool === 'hold'}
            <InHandPanel />
        {:else if MENDS.includes(bench.tool)}
            <MendPanel />
        {/if}
        <RoughBelow />
    </div>
    {#if !inks && bench.tool !== 'hold' && bench.tool !== 'points' && held.ids.length > 0}
        <p class="flex justify-between border-t border-base-300 bg-secondary/20 px-4 py-2 text-[12.5px]" role="status">
            <b>Only the {held.ids.length === 1 ? 'line' : `${held.ids.length} lines`} in hand</b>
            <button class="link" onclick={() => held.take([])}>Let go</button>
        </p>
    {/if}
    <p class="quiet border-t border-base-300 px-4 py-2 text-[12px]">
        {#if bench.tool === 'hold'}
            <kbd class="key">Shift</kbd> adds · free &ensp;<kbd class="key">Alt</kbd> copies &ensp;<kbd class="key"
                >Ctrl</kbd
            > skews
        {:else if bench.tool === 'calm' || bench.tool === 'press'}
            Rub to and fro: the longer, the more
        {:else if bench.tool === 'bend'}
            Drag an end, and it goes along
        {:else if bench.tool === 'points'}
            Click the line: a point. <kbd class="key">Shift</kbd> smooth or corner &ensp;<kbd class="key">Alt</kbd> away
        {:else if bench.tool === 'curves'}
            <kbd class="key">Enter</kbd> ends it &ensp;<kbd class="key">Backspace</kbd> a point back
        {:else if bench.tool === 'rough'}
            <kbd class="key">Shift</kbd> turns it &ensp;<kbd class="key">Esc</kbd> done
        {:else if bench.tool === 'cut'}
            <kbd class="key">Shift</kbd> a box
        {:else}
            <kbd class="key">Shift</kbd> in steps &ensp;<kbd class="key">Ctrl</kbd> no snaps {#if pen.straightens < Infinity}&ensp;hold:
                straight{/if}
        {/if}
    </p>
{/if}
