<script lang="ts">
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import { underlay } from '../state/underlay.svelte';
    import Slider from './Slider.svelte';
    import { percent } from './units';

    const view = $derived(sheet.view);
    /** Those that may lie below: the others of the shot, and this one's own picture. */
    const roughs = $derived((shots.shot?.drawings ?? []).filter((d) => d.id !== view?.info.id || view.lift));
    $effect(() => {
        if (view) void underlay.enter(view.info.key);
    });
</script>

<label class="mt-3 flex items-center justify-between text-[13px]"
    >Rough below
    <select
        class="max-w-44 cursor-pointer bg-base-100 font-semibold"
        aria-label="Rough below"
        value={underlay.rough?.id ?? 0}
        onchange={(e) => void underlay.choose(Number(e.currentTarget.value) || null)}
    >
        <option value={0}>none</option>
        {#each roughs as d (d.id)}<option value={d.id}>{d.id === view?.info.id ? 'as it came' : d.name}</option>{/each}
    </select></label
>
{#if underlay.rough}
    <Slider
        label="Strength of the rough"
        value={underlay.opacity}
        min={0.1}
        max={1}
        step={0.05}
        shown={percent(underlay.opacity)}
        oninput={(v) => (underlay.opacity = v)}
        onsave={() => underlay.keep()}
    />
{/if}
