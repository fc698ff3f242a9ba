<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { mending } from '../state/mending.svelte';
    import { sheet } from '../state/sheet.svelte';
    import Choice from './Choice.svelte';
    import PenPanel from './PenPanel.svelte';
    import Slider from './Slider.svelte';
    import { percent } from './units';

    const m = $derived(mending.settings);
    const px = (mm: number) => `${((mm / 25.4) * (sheet.view?.dpi ?? 300)).toFixed(0)} px`;
    const keep = () => mending.keep();
    const rubs = $derived(bench.tool === 'calm' || bench.tool === 'press');
</script>

{#if bench.tool === 'redraw'}
    <Choice
        label="The stroke gives the line"
        value={m.gives}
        options={[
            { value: 'both', name: 'Both', help: 'Its path and its width' },
            { value: 'path', name: 'Its path', help: 'The line keeps its width' },
            { value: 'width', name: 'Its width', help: 'The line keeps its path' },
        ]}
        onchoose={(gives) => mending.set({ gives })}
    />
    <PenPanel />
{:else if bench.tool === 'press'}
    <Choice
        label="Rubbing makes lines"
        value={m.thinner ? 'thinner' : 'thicker'}
        options={[
            { value: 'thicker', name: 'Thicker' },
            { value: 'thinner', name: 'Thinner' },
        ]}
        onchoose={(how) => mending.set({ thinner: how === 'thinner' })}
    />
{:else if bench.tool === 'bend'}
    <Slider
        label="Bends along"
        help="How much of the line goes with the place that is dragged, to either side"
        value={m.reach}
        min={1}
        max={80}
        step={1}
        shown="{m.reach.toFixed(0)} mm · {px(m.reach)}"
        oninput={(v) => (mending.settings.reach = v)}
        onsave={keep}
    />
{:else if bench.tool === 'erase'}
    <Choice
        label="Takes off"
        value={m.takes}
        options={[
            { value: 'exactly', name: 'Exactly that', help: 'Only what is passed over' },
            { value: 'spans', name: 'To crossings', help: 'Each line up to its next crossings' },
            { value: 'lines', name: 'Whole lines' },
        ]}
        onchoose={(takes) => mending.set({ takes })}
    />
    <Slider
        label="Width"
        value={m.eraser}
        min={0.2}
        max={20}
        step={0.1}
        shown="{m.eraser.toFixed(1)} mm · {px(m.eraser)}"
        oninput={(v) => (mending.settings.eraser = v)}
        onsave={keep}
    />
    <Choice
        label="Its width follows"
        value={m.pressed ? 'pressure' : 'steady'}
        options={[
            { value: 'steady', name: 'Nothing' },
            { value: 'pressure', name: 'Pressure' },
        ]}
        onchoose={(how) => mending.set({ pressed: how === 'pressure' })}
    />
{/if}
{#if rubs}
    <Slider
        label="Around the pointer"
        value={m.radius}
        min={0.2}
        max={12}
        step={0.1}
        shown="{m.radius.toFixed(1)} mm · {px(m.radius)}"
        oninput={(v) => (mending.settings.radius = v)}
        onsave={keep}
    />
    <Slider
        label="Strength of a pass"
        value={m.strength}
        min={0.1}
        max={3}
        step={0.1}
        shown={percent(m.strength)}
        oninput={(v) => (mending.settings.strength = v)}
        onsave={keep}
    />
{/if}
