<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { sheet } from '../state/sheet.svelte';
    import type { Adjust } from '../types/Adjust';
    import Choice from './Choice.svelte';
    import Slider from './Slider.svelte';

    type How = Adjust['how'];
    let how = $state<How>('scale');
    let width = $state(0.5);
    let factor = $state(1.3);
    let by = $state(0.1);
    let least = $state(0.3);
    let most = $state(1);
    let amount = $state(0.8);
    let length = $state(4);
    let ends = $state<'both' | 'start' | 'end'>('both');

    const view = $derived(sheet.view);
    const perMm = $derived((view?.dpi ?? 300) / 25.4);
    const lines = $derived(view?.lines.count((l) => l.kind === 'centreline') ?? 0);
    const chosen = $derived(bench.chosen.filter((id) => view?.lines.get(id) !== undefined));
    const HOWS: { value: How; name: string; help: string }[] = [
        { value: 'set', name: 'Set', help: 'One width all along' },
        { value: 'scale', name: 'Scale', help: 'Times a factor' },
        { value: 'add', name: 'Add', help: 'So much wider or thinner' },
        { value: 'clamp', name: 'Clamp', help: 'Between two widths' },
        { value: 'calm', name: 'Calm', help: 'Smooths the variation' },
        { value: 'taper', name: 'Taper', help: 'Runs out at its ends' },
    ];

    function adjust(): Adjust {
        switch (how) {
            case 'set':
                return { how, width: width * perMm };
            case 'scale':
                return { how, factor };
            case 'add':
                return { how, by: by * perMm };
            case 'clamp':
                return { how, least: Math.min(least, most) * perMm, most: Math.max(least, most) * perMm };
            case 'calm':
                return { how, amount };
            case 'taper':
                return { how, length: length * perMm, start: ends !== 'end', end: ends !== 'start' };
        }
    }
    const nothing = () => {};
    const mm = (v: number) => `${v.toFixed(2)} mm · ${(v * perMm).toFixed(1)} px`;
</script>

<Choice label="What to do" value={how} options={HOWS} onchoose={(v) => (how = v)} />
{#if how === 'set'}
    <Slider
        label="Width"
        value={width}
        min={0.05}
        max={4}
        step={0.01}
        shown={mm(width)}
        oninput={(v) => (width = v)}
        onsave={nothing}
    />
{:else if how === 'scale'}
    <Slider
        label="Factor"
        value={factor}
        min={0.2}
        max={3}
        step={0.01}
        shown="× {factor.toFixed(2)}"
        oninput={(v) => (factor = v)}
        onsave={nothing}
    />
{:else if how === 'add'}
    <Slider
        label="Wider by"
        value={by}
        min={-1}
        max={1}
        step={0.01}
        shown={mm(by)}
        oninput={(v) => (by = v)}
        onsave={nothing}
    />
{:else if how === 'clamp'}
    <Slider
        label="At least"
        value={least}
        min={0.05}
        max={4}
        step={0.01}
        shown={mm(least)}
        oninput={(v) => (least = v)}
        onsave={nothing}
    />
    <Slider
        label="At most"
        value={most}
        min={0.05}
        max={4}
        step={0.01}
        shown={mm(most)}
        oninput={(v) => (most = v)}
        onsave={nothing}
    />
{:else if how === 'calm'}
    <Slider
        label="How calm"
        value={amount}
        min={0}
        max={1}
        step={0.01}
        shown="{Math.round(amount * 100)} %"
        oninput={(v) => (amount = v)}
        onsave={nothing}
    />
{:else}
    <Slider
        label="Over"
        value={length}
        min={0.5}
        max={20}
        step={0.1}
        shown="{length.toFixed(1)} mm"
        oninput={(v) => (length = v)}
        onsave={nothing}
    />
    <Choice
        label="At"
        value={ends}
        options={[
            { value: 'both', name: 'Both ends' },
            { value: 'start', name: 'Start' },
            { value: 'end', name: 'End' },
        ]}
        onchoose={(v) => (ends = v)}
    />
{/if}
<p class="mt-3 text-[13px]">
    {chosen.length === 0 ? 'Click lines to choose them, or take all.' : `${chosen.length} of ${lines} lines chosen.`}
    {#if chosen.length > 0}<button class="link" onclick={() => (bench.chosen = [])}>Let them go</button>{/if}
</p>
<div class="mt-2 flex gap-2">
    <button
        class="btn btn-primary btn-sm"
        disabled={chosen.length === 0 || sheet.busy}
        onclick={() => sheet.do({ of: 'weight', do: 'weigh', lines: chosen, adjust: adjust() })}
        >{chosen.length === 1 ? 'Weigh 1 line' : `Weigh ${chosen.length} lines`}</button
    >
    <button
        class="btn btn-outline btn-primary btn-sm"
        disabled={lines === 0 || sheet.busy}
        onclick={() => sheet.do({ of: 'weight', do: 'weigh', lines: [], adjust: adjust() })}>All {lines}</button
    >
</div>
