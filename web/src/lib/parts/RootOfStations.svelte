<script lang="ts">
    import { bench, STATIONS } from '../state/bench.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';

    const W = 640;
    const X = [28, 102, 182, 266, 346, 424, 508, 602];
    const progress = $derived(sheet.view?.info.progress);
    const done = $derived([
        sheet.view !== null,
        progress?.lifted ?? false,
        progress?.lifted ?? false,
        progress?.lifted ?? false,
        progress?.lifted ?? false,
        (progress?.lifted ?? false) && progress?.join_open === 0,
        (progress?.lifted ?? false) && progress?.paint_open === 0,
        shots.listed(sheet.view?.info.id)?.handed_off ?? false,
    ]);
    const open = $derived([0, 0, 0, 0, 0, progress?.join_open ?? 0, progress?.paint_open ?? 0, 0]);
    const stretch = (i: number) => {
        const [a, b] = [X[i] ?? 0, X[i + 1] ?? 0];
        const h = i % 2 ? 10 : -10;
        return `M${a} 22 C${a + 36} ${22 + h} ${b - 36} ${22 - h} ${b} 22`;
    };
</script>

<nav aria-label="Stations" class="relative h-[58px] min-w-0 flex-1">
    <svg viewBox="0 0 {W} 58" class="absolute inset-0 h-full w-full" preserveAspectRatio="none" aria-hidden="true">
        {#each X.slice(1).keys() as i (i)}
            <path
                d={stretch(i)}
                fill="none"
                stroke={done[i] ? 'var(--color-primary)' : 'var(--color-base-300)'}
                stroke-width={done[i] ? 6.5 - i : 3}
                stroke-linecap="round"
                vector-effect="non-scaling-stroke"
            />
        {/each}
    </svg>
    {#each STATIONS as s, i (s.id)}
        {@const here = bench.station === s.id}
        <button
            type="button"
            class="absolute top-0 flex h-[58px] -translate-x-1/2 cursor-pointer flex-col items-center"
            style:left="{((X[i] ?? 0) / W) * 100}%"
            aria-current={here ? 'step' : undefined}
            title="{s.name} (key {s.number})"
            onclick={() => bench.enter(s.id)}
        >
            {#if here}
                <span
                    class="mt-1 flex h-9 items-center gap-2 rounded-full bg-secondary px-4 text-[14px] font-bold whitespace-nowrap text-secondary-content"
                >
                    {s.number}&ensp;{s.name}
                    {#if open[i]}<span class="rounded-full bg-[#2a2822] px-1.5 text-[12px] text-[#f7f2e6]"
                            >{open[i]}</span
                        >{/if}
                </span>
            {:else}
                <span
                    class="mt-[11px] grid size-[22px] place-items-center rounded-full border-2 text-[12px] font-bold {done[
                        i
                    ]
                        ? 'border-primary bg-primary text-primary-content'
                        : 'border-base-300 bg-base-100'}">{s.number}</span
                >
                <span class="text-[12.5px] leading-5 whitespace-nowrap">{s.name}{open[i] ? ` · ${open[i]}` : ''}</span>
            {/if}
        </button>
    {/each}
</nav>
