<script lang="ts">
    import { lightTable, MOST, TINTS } from '../state/lightTable.svelte';
    import { mm } from './units';
    import { sheet } from '../state/sheet.svelte';

    const { settings } = $derived(lightTable);
    const [x, y] = $derived(lightTable.shift);
    const isShifted = $derived(x !== 0 || y !== 0);
    const sides = [
        { side: 'before', name: 'before' },
        { side: 'behind', name: 'behind' },
    ] as const;
</script>

<div class="pill flex items-center gap-3" role="group" aria-label="Light table">
    {#each sides as { side, name } (side)}
        <label class="flex items-center gap-1.5">
            <i class="size-2.5 rounded-full" style:background={TINTS[side]}></i>
            <select
                class="cursor-pointer bg-base-100 font-semibold"
                aria-label="Drawings {name}"
                value={settings[side]}
                onchange={(e) => lightTable.set({ [side]: Number(e.currentTarget.value) })}
            >
                {#each Array.from({ length: MOST + 1 }, (_, n) => n) as n (n)}<option value={n}>{n}</option>{/each}
            </select>
            {name}
        </label>
    {/each}
    <label class="flex items-center gap-1.5"
        >Strength
        <input
            type="range"
            class="range range-xs range-primary w-[84px]"
            min="0.1"
            max="1"
            step="0.05"
            value={settings.strength}
            oninput={(e) => lightTable.set({ strength: e.currentTarget.valueAsNumber })}
        />
    </label>
    <button
        class="cursor-pointer {lightTable.shifting ? 'font-bold text-primary' : ''}"
        aria-pressed={lightTable.shifting}
        title="Drag the drawing against its neighbours, to compare; it is not changed"
        onclick={() => (lightTable.shifting = !lightTable.shifting)}>Shift</button
    >
    {#if isShifted}
        <button
            class="cursor-pointer tabular-nums"
            title="Back to where it hangs"
            onclick={() => (lightTable.shift = [0, 0])}
            >{mm(Math.hypot(x, y), sheet.view?.dpi ?? 300)} off · back</button
        >
    {/if}
</div>
