<script lang="ts">
    import { NEVER, pen } from '../state/pen.svelte';
    import { sheet } from '../state/sheet.svelte';
    import Choice from './Choice.svelte';
    import PenStrip from './PenStrip.svelte';
    import Slider from './Slider.svelte';
    import { percent } from './units';

    const p = $derived(pen.settings);
    const px = (mm: number) => `${((mm / 25.4) * (sheet.view?.dpi ?? 300)).toFixed(1)} px`;
    const keep = () => pen.keep();
    const set = (change: Partial<typeof pen.settings>) => pen.set(change);
</script>

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
<Slider
    label="Straight, held still"
    help="A stroke that stays where it is becomes straight"
    value={p.straightAfter}
    min={0.3}
    max={NEVER}
    step={0.1}
    shown={p.straightAfter < NEVER ? `after ${p.straightAfter.toFixed(1)} s` : 'never'}
    oninput={(v) => (p.straightAfter = v)}
    onsave={keep}
/>
