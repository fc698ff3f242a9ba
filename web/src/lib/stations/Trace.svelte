<script lang="ts">
    import NoLines from '../parts/NoLines.svelte';
    import Slider from '../parts/Slider.svelte';
    import TraceFooter from '../parts/TraceFooter.svelte';
    import { bench } from '../state/bench.svelte';
    import { settings } from '../state/inking.svelte';
    import { sheet } from '../state/sheet.svelte';

    const view = $derived(sheet.view);
    const trace = $derived(settings.trace);
    const told = $derived(settings.traced);
    const px = (mm: number) => `${((mm / 25.4) * (view?.dpi ?? 300)).toFixed(0)} px`;
    const count = (n: number, what: string) => `${n} ${what}${n === 1 ? '' : 's'}`;
</script>

{#if view?.traced && !view.lift}
    <div class="px-4 pt-3">
        <h2 class="text-[17px] leading-tight">Trace</h2>
        <p class="quiet mt-1 text-[13px]">This drawing came in as lines: {count(view.lines.size, 'line')}.</p>
        <button class="btn btn-primary btn-sm mt-3" onclick={() => bench.enter('join')}>Go on to Join</button>
    </div>
{:else if view && !view.lift}
    <NoLines station="Trace" missing="lines to trace" />
{:else if view && trace}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Trace</h2>
        <p class="quiet text-[12.5px]">Ink becomes lines: a middle with its width, or the outline of solid ink.</p>
        <Slider
            label="Widest line"
            help="Broader ink becomes a solid shape"
            value={trace.widest_line}
            min={0.4}
            max={12}
            step={0.1}
            shown="{trace.widest_line.toFixed(1)} mm · {px(trace.widest_line)}"
            oninput={(v) => settings.move(() => (trace.widest_line = v))}
            onsave={(soon) => settings.save(soon)}
        />
        <Slider
            label="Follow the ink within"
            help="The nearer, the more points a line has; the farther, the calmer it runs"
            value={trace.tolerance}
            min={0.1}
            max={3}
            step={0.05}
            shown="{trace.tolerance.toFixed(2)} px"
            oninput={(v) => settings.move(() => (trace.tolerance = v))}
            onsave={(soon) => settings.save(soon)}
        />
        <Slider
            label="Smallest piece"
            help="Smaller pieces of ink are not traced"
            value={trace.smallest_piece}
            min={0}
            max={2}
            step={0.02}
            shown={trace.smallest_piece === 0 ? 'every piece' : `${trace.smallest_piece.toFixed(2)} mm²`}
            oninput={(v) => settings.move(() => (trace.smallest_piece = v))}
            onsave={(soon) => settings.save(soon)}
        />
        <div class="mt-4 border-t border-base-300 pt-2.5 text-[13px]">
            <div class="flex items-baseline justify-between">
                <span>This gives{told?.whole === false ? ', in view' : ''}</span>
                <b data-testid="traced"
                    >{told
                        ? `${count(told.centrelines, 'centreline')}, ${count(told.outlines, 'solid shape')}`
                        : '…'}</b
                >
            </div>
            <label class="mt-2 flex cursor-pointer items-center gap-2">
                <input type="checkbox" class="checkbox checkbox-xs" bind:checked={bench.showMiddles} />
                Show middles and outlines
            </label>
            <p class="quiet mt-1 text-[12.5px]">
                {bench.camera.scale < 0.7
                    ? 'Zoom in to 70 % or nearer to see them; 0 is one pixel for one.'
                    : 'Light along the middles, amber along the outlines of solid ink.'}
            </p>
        </div>
    </div>
    <TraceFooter />
{/if}
