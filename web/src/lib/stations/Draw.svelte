<script lang="ts">
    import Choice from '../parts/Choice.svelte';
    import NoLines from '../parts/NoLines.svelte';
    import PenStrip from '../parts/PenStrip.svelte';
    import Slider from '../parts/Slider.svelte';
    import { percent } from '../parts/units';
    import { bench } from '../state/bench.svelte';
    import { pen } from '../state/pen.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import { underlay } from '../state/underlay.svelte';

    const view = $derived(sheet.view);
    const p = $derived(pen.settings);
    const px = (mm: number) => `${((mm / 25.4) * (view?.dpi ?? 300)).toFixed(1)} px`;
    const keep = () => pen.keep();
    /** Those that may lie below: the others of the shot, and this one's own picture. */
    const roughs = $derived((shots.shot?.drawings ?? []).filter((d) => d.id !== view?.info.id || view.lift));
    $effect(() => {
        if (view) void underlay.enter(view.info.key);
    });

    function set(change: Partial<typeof pen.settings>) {
        Object.assign(pen.settings, change);
        keep();
    }
</script>

{#if view && !view.traced}
    <NoLines station="Draw" missing="lines to draw beside" />
{:else if view}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Draw</h2>
        <p class="quiet text-[12.5px]">Ink by hand, beside what was traced.</p>
        <Slider
            label="Line weight"
            help="As wide as it gets, pressed hard"
            value={p.width}
            min={0.1}
            max={4}
            step={0.05}
            shown="{p.width.toFixed(2)} mm · {px(p.width)}"
            oninput={(v) => (p.width = v)}
            onsave={keep}
        />
        <Slider
            label="Steadying"
            help="Calms the hand; ends and corners stay where they are drawn"
            value={p.steadying}
            min={0}
            max={1}
            step={0.05}
            shown={p.steadying === 0 ? 'as drawn' : percent(p.steadying)}
            oninput={(v) => (p.steadying = v)}
            onsave={keep}
        />
        <Choice
            label="The width follows"
            value={p.by}
            options={[
                { value: 'pressure', name: 'Pressure', help: 'A pen that tells none draws as wide as it gets' },
                { value: 'speed', name: 'Speed', help: 'The quicker the thinner' },
                { value: 'steady', name: 'Nothing', help: 'One width all along' },
            ]}
            onchoose={(by) => set({ by })}
        />
        {#if p.by !== 'steady'}
            <Slider
                label="At its thinnest"
                value={p.least}
                min={0}
                max={1}
                step={0.05}
                shown={percent(p.least)}
                oninput={(v) => (p.least = v)}
                onsave={keep}
            />
        {/if}
        {#if p.by === 'pressure'}
            <Slider
                label="Touch"
                help="How much pressure a broad line takes"
                value={p.bend}
                min={0.4}
                max={4}
                step={0.1}
                shown={p.bend < 0.95 ? 'light' : p.bend < 1.55 ? 'even' : p.bend < 2.55 ? 'firm' : 'heavy'}
                oninput={(v) => (p.bend = v)}
                onsave={keep}
            />
        {/if}
        <Slider
            label="Tilt broadens"
            help="How much broader a line is where the pen lies flat"
            value={p.tilt}
            min={0}
            max={2}
            step={0.1}
            shown={p.tilt === 0 ? 'not at all' : `up to ${(1 + p.tilt).toFixed(1)} times`}
            oninput={(v) => (p.tilt = v)}
            onsave={keep}
        />
        <PenStrip />
        <label class="mt-3 flex items-center justify-between text-[13px]"
            >Rough below
            <select
                class="max-w-44 cursor-pointer bg-base-100 font-semibold"
                aria-label="Rough below"
                value={underlay.rough?.id ?? 0}
                onchange={(e) => void underlay.choose(Number(e.currentTarget.value) || null)}
            >
                <option value={0}>none</option>
                {#each roughs as d (d.id)}<option value={d.id}>{d.id === view.info.id ? 'as it came' : d.name}</option
                    >{/each}
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
        <label class="mt-3 flex items-center justify-between text-[13px]"
            >Colour
            <select
                class="max-w-44 cursor-pointer bg-base-100 font-semibold"
                aria-label="Colour of the ink"
                value={p.swatch ?? ''}
                onchange={(e) => set({ swatch: e.currentTarget.value || null })}
            >
                <option value="">the ink’s</option>
                {#each shots.shot?.swatches ?? [] as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
            </select></label
        >
        {#if bench.tool === 'rectangle' || bench.tool === 'ellipse'}
            <Choice
                label="Shapes are drawn"
                value={p.shapes}
                options={[
                    { value: 'line', name: 'As a line' },
                    { value: 'filled', name: 'Filled' },
                    { value: 'both', name: 'Both' },
                ]}
                onchoose={(shapes) => set({ shapes })}
            />
        {/if}
        <Choice
            label="New ink lies"
            value={p.under ? 'under' : 'over'}
            options={[
                { value: 'over', name: 'Over', help: 'On top of everything' },
                { value: 'under', name: 'Under', help: 'Beneath everything' },
            ]}
            onchoose={(where) => set({ under: where === 'under' })}
        />
    </div>
    <p class="quiet border-t border-base-300 px-4 py-2 text-[12px]">
        <kbd class="key">Shift</kbd> in steps &ensp;<kbd class="key">Ctrl</kbd> no snaps &ensp;hold: straight
    </p>
{/if}
