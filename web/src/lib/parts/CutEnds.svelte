<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { radios } from './radios';
    import type { EndStyle } from '../types/EndStyle';

    const STYLES: { style: EndStyle; name: string; help: string; shape: string }[] = [
        {
            style: 'along_cutter',
            name: 'Along the cutter',
            help: 'Cut exactly where it passes',
            shape: 'M1 4H21L15 14H1Z',
        },
        { style: 'flat', name: 'Flat', help: 'Square to the line, up to the cutter', shape: 'M1 4H15V14H1Z' },
        {
            style: 'round',
            name: 'Round',
            help: 'Rounded off, the tip at the cutter',
            shape: 'M1 4H12A5 5 0 0 1 12 14H1Z',
        },
    ];
</script>

<div
    class="absolute bottom-[66px] left-1/2 flex -translate-x-1/2 items-center gap-1 rounded-[12px] bg-base-100 px-2 py-1 text-[12.5px] whitespace-nowrap shadow-lg"
    role="radiogroup"
    use:radios
    aria-label="How cut lines end"
>
    <span class="quiet px-1">Ends</span>
    {#each STYLES as s (s.style)}
        <button
            type="button"
            role="radio"
            class="flex cursor-pointer items-center gap-1.5 rounded-lg px-2 py-1 {bench.cutEnds === s.style
                ? 'bg-primary text-primary-content'
                : 'hover:bg-base-200'}"
            aria-checked={bench.cutEnds === s.style}
            tabindex={bench.cutEnds === s.style ? 0 : -1}
            title={s.help}
            onclick={() => (bench.cutEnds = s.style)}
        >
            <svg width="22" height="18" viewBox="0 0 22 18" aria-hidden="true">
                <path d={s.shape} fill="currentColor" />
                <path
                    d="M21.4 3.4L14.6 15"
                    stroke="var(--color-accent)"
                    stroke-width="1.6"
                    stroke-dasharray="2.4 1.6"
                />
            </svg>
            {s.name}
        </button>
    {/each}
    {#if bench.station === 'draw'}
        <label class="flex cursor-pointer items-center gap-1.5 border-l border-base-300 pl-2"
            ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={bench.cutLoose} />comes loose</label
        >
    {/if}
    <span class="quiet border-l border-base-300 pr-1 pl-2"><kbd class="key">Shift</kbd> a box</span>
</div>
