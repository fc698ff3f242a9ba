<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { layers } from '../state/layers.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import { TINTS, underlay } from '../state/underlay.svelte';
    import Slider from './Slider.svelte';
    import { percent } from './units';

    const view = $derived(sheet.view);
    /** Those that may lie below: the others of the shot, and this one's own picture. */
    const roughs = $derived((shots.shot?.drawings ?? []).filter((d) => d.id !== view?.info.id || view.lift));
    const NAMES = ['rust', 'blue', 'moss', 'plum'];
    const mm = (px: number) => ((px * 25.4) / (view?.dpi ?? 300)).toFixed(1);
    /** A drawing by its number, a layer of its file behind a colon. */
    const lies = $derived.by(() => {
        const { rough } = underlay;
        if (!rough) return '';
        return rough.layer === undefined ? String(rough.id) : `${rough.id}:${rough.layer}`;
    });
    function choose(value: string) {
        const [id, layer] = value.split(':').map(Number);
        void underlay.choose(id || null, layer);
    }
    const degrees = $derived((underlay.look.angle * 180) / Math.PI);
    $effect(() => {
        if (!view) return;
        void underlay.enter(view.info.key);
        void layers.enter(view.info.id, view.info.key);
    });
</script>

<label class="mt-3 flex items-center justify-between text-[13px]"
    >Rough below
    <select
        class="max-w-44 cursor-pointer bg-base-100 font-semibold"
        aria-label="Rough below"
        value={lies}
        onchange={(e) => choose(e.currentTarget.value)}
    >
        <option value="">none</option>
        {#each roughs as d (d.id)}<option value={String(d.id)}>{d.id === view?.info.id ? 'as it came' : d.name}</option
            >{/each}
        {#each layers.names as name, n (n)}<option value="{view?.info.id}:{n}">{name}</option>{/each}
    </select></label
>
{#if underlay.rough}
    <Slider
        label="Strength of the rough"
        value={underlay.look.opacity}
        min={0.1}
        max={1}
        step={0.05}
        shown={percent(underlay.look.opacity)}
        oninput={(v) => (underlay.look.opacity = v)}
        onsave={() => underlay.keep()}
    />
    <div class="mt-2 flex items-center justify-between text-[13px]">
        <span>Tint</span>
        <span class="flex gap-1" role="radiogroup" aria-label="Tint of the rough">
            {#each TINTS as tint (tint)}
                <button
                    class="size-6 cursor-pointer rounded-full border-2 {underlay.look.tint === tint
                        ? 'border-base-content'
                        : 'border-base-300'} text-[12px]"
                    style:background={tint || 'transparent'}
                    role="radio"
                    aria-checked={underlay.look.tint === tint}
                    aria-label={tint ? NAMES[TINTS.indexOf(tint)] : 'as it came'}
                    title={tint ? NAMES[TINTS.indexOf(tint)] : 'as it came'}
                    onclick={() => underlay.set({ tint })}>{tint ? '' : '–'}</button
                >
            {/each}
        </span>
    </div>
    <div class="mt-2 flex items-center justify-between gap-2 text-[13px]">
        <button
            class="btn btn-xs {bench.tool === 'rough' ? 'btn-primary' : ''}"
            aria-pressed={bench.tool === 'rough'}
            title="Drag it; turn it with Shift"
            onclick={() => (bench.tool = bench.tool === 'rough' ? 'ink' : 'rough')}>Lay it</button
        >
        <span class="quiet tabular-nums" data-testid="rough-lies"
            >{mm(underlay.look.x)}, {mm(underlay.look.y)} mm · {degrees.toFixed(1)}°</span
        >
        <button class="link" disabled={!underlay.isMoved} onclick={() => underlay.set({ x: 0, y: 0, angle: 0 })}
            >As it lay</button
        >
    </div>
{/if}
