<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { sheet } from '../state/sheet.svelte';
    import type { Effect } from '../types/Effect';
    import { mm } from './units';
    import Slider from './Slider.svelte';

    interface Props {
        effect: Effect;
    }
    const { effect }: Props = $props();
    const brush = bench.brush;
    const view = $derived(sheet.view);
    const painted = $derived(
        !!view && (view.by_hand.touches.some((t) => t.effect === effect) || view.by_hand.inverted.includes(effect)),
    );
</script>

<Slider
    label="Brush"
    value={brush.size}
    min={4}
    max={400}
    step={1}
    shown="{mm(brush.size, view?.dpi ?? 300)} · {brush.size} px"
    oninput={(v) => (brush.size = v)}
    onsave={() => {}}
/>
<div class="grid grid-cols-2 gap-3">
    <Slider
        label="Hardness"
        value={brush.hardness}
        min={0}
        max={1}
        step={0.05}
        shown="{Math.round(brush.hardness * 100)} %"
        oninput={(v) => (brush.hardness = v)}
        onsave={() => {}}
    />
    <Slider
        label="Strength"
        value={brush.strength}
        min={0.05}
        max={1}
        step={0.05}
        shown="{Math.round(brush.strength * 100)} %"
        oninput={(v) => (brush.strength = v)}
        onsave={() => {}}
    />
</div>
<div class="mt-2 flex flex-wrap items-center gap-1 text-[12.5px]">
    <label class="mr-1 flex cursor-pointer items-center gap-1.5"
        ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={brush.takesOff} />Take off</label
    >
    <label class="mr-auto flex cursor-pointer items-center gap-1.5"
        ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={bench.showArea} />Show</label
    >
    <button class="btn btn-ghost btn-xs" onclick={() => sheet.do({ of: 'lift', do: 'invert', effect })}>Invert</button>
    <button
        class="btn btn-ghost btn-xs"
        disabled={!painted}
        onclick={() => sheet.do({ of: 'lift', do: 'clear_area', effect })}>Clear</button
    >
</div>
