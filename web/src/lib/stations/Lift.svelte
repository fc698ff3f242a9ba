<script lang="ts">
    import ChevronDown from '@lucide/svelte/icons/chevron-down';
    import ChevronUp from '@lucide/svelte/icons/chevron-up';
    import Plus from '@lucide/svelte/icons/plus';
    import X from '@lucide/svelte/icons/x';
    import Choice from '../parts/Choice.svelte';
    import Histogram from '../parts/Histogram.svelte';
    import Slider from '../parts/Slider.svelte';
    import BrushPanel from '../parts/BrushPanel.svelte';
    import TraceFooter from '../parts/TraceFooter.svelte';
    import { bench } from '../state/bench.svelte';
    import { settings, type Watched } from '../state/inking.svelte';
    import { sheet } from '../state/sheet.svelte';
    import type { Edge } from '../types/Edge';
    import type { Effect } from '../types/Effect';
    import { fromHex, hex } from '../parts/units';

    const view = $derived(sheet.view);
    const draft = $derived(settings.lift);
    const facts = $derived(settings.facts);
    const trade = $derived(settings.trade);
    const dropped = $derived(draft?.drop_out ?? facts?.drop_out ?? []);
    const EDGES: { value: Edge; name: string; help: string }[] = [
        { value: 'crisp', name: 'Crisp', help: 'Each pixel is ink or not: exact fills and selections' },
        { value: 'soft1', name: 'Soft 1', help: 'One pixel of fall-off' },
        { value: 'soft2', name: 'Soft 2', help: 'The fall-off of the scan' },
        { value: 'soft3', name: 'Soft 3', help: 'As measured: light pressure stays light' },
    ];
    const COST: Record<Edge, string> = {
        crisp: 'Exact fills; the pen’s feather is lost.',
        soft1: 'Smooth edges. Paint tucks under them, no fringe.',
        soft2: 'Keeps the scan’s own fall-off; every line full at its middle.',
        soft3: 'Keeps light pressure; faint lines stay see-through.',
    };
    const MIXES: { value: string; name: string; help: string; mix: [number, number, number] }[] = [
        { value: 'even', name: 'Even', help: 'Red, green and blue say the same about the ink', mix: [1, 1, 1] },
        {
            value: 'blue',
            name: 'Hide blue',
            help: 'Only the blue channel: what is blue is as light as the paper there',
            mix: [0, 0, 1],
        },
        {
            value: 'red',
            name: 'Hide red',
            help: 'Only the red channel: what is red is as light as the paper there',
            mix: [1, 0, 0],
        },
        { value: 'own', name: 'Own', help: 'Weights of your own', mix: [0.4, 0.4, 0.2] },
    ];
    const mix = $derived(MIXES.find((m) => m.value !== 'own' && String(m.mix) === String(draft?.mix))?.value ?? 'own');
    const EFFECTS: { value: Effect; name: string; help: string }[] = [
        { value: 'more', name: 'More', help: 'More of what is faint stays' },
        { value: 'less', name: 'Less', help: 'Less of what is faint stays' },
        { value: 'none', name: 'None', help: 'The settings do nothing here: ink, pencil and grain as measured' },
        { value: 'erase', name: 'Erase', help: 'What is left around the drawing goes' },
    ];
    const INKS = [
        { value: 'black', name: 'Black', help: 'One black for all' },
        { value: 'any', name: 'Any', help: 'One colour of your own' },
        { value: 'drawn', name: 'As drawn', help: 'Each pixel keeps the colour it was drawn in' },
    ] as const;
    const BLACK: [number, number, number] = [20, 19, 17];
    const inkKind = $derived(draft?.as_drawn ? 'drawn' : String(draft?.ink_colour) === String(BLACK) ? 'black' : 'any');
    let more = $state(false);

    function setInk(kind: 'black' | 'any' | 'drawn') {
        const own: [number, number, number] = inkKind === 'any' && draft ? [...draft.ink_colour] : [58, 44, 92];
        void settings.setLift({ as_drawn: kind === 'drawn', ink_colour: kind === 'any' ? own : BLACK });
    }
    const watch = (what: Watched) => () => (settings.watched = what);
</script>

{#if view && draft && view.lift === null && !view.trouble}
    <div class="p-4">
        <h2 class="text-[17px]">Lift</h2>
        <p class="quiet mt-1 text-[13px]">
            This drawing came in as vector art: there is no paper to lift it from. Go on at Join.
        </p>
        <button class="btn btn-primary btn-sm mt-3" onclick={() => bench.enter('join')}>Go on to Join</button>
    </div>
{:else if view && draft}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Lift</h2>
        <p class="quiet text-[12.5px]">Ink off the paper. The scan itself is never changed.</p>
        {#if settings.trouble}
            <p class="mt-2 rounded-lg bg-error/15 px-3 py-2 text-[13px]" role="alert">
                <b>{settings.trouble.charAt(0).toUpperCase() + settings.trouble.slice(1)}.</b><br />The sheet was kept
                as it is. Lower the paper point, or look at the original (hold <kbd class="key">Q</kbd>).
            </p>
        {/if}
        <div class="mt-2.5 flex items-center justify-between text-[13px]">
            <span>Drop out</span>
            <span class="flex items-center gap-1">
                {#each dropped as c, i (i)}
                    <button
                        class="group grid size-[22px] cursor-pointer place-items-center rounded-full border-2 border-base-100 ring-1 ring-base-300"
                        style:background={hex(c)}
                        title="Hover: what is caught. Click: keep this colour"
                        aria-label="Stop dropping this colour"
                        onmouseenter={watch('drop-out')}
                        onmouseleave={watch(null)}
                        onclick={() => void settings.setLift({ drop_out: dropped.filter((_, k) => k !== i) })}
                        ><X size={12} class="opacity-0 group-hover:opacity-100" /></button
                    >
                {/each}
                {#if dropped.length === 0}<span class="quiet text-[12px]">no pencil</span>{/if}
                <button
                    class="btn btn-ghost btn-xs text-primary"
                    onclick={() => (bench.tool = 'sample')}
                    title="Click a pencil line on the sheet"><Plus size={13} />sample</button
                >
                {#if draft.drop_out !== null}
                    <button
                        class="btn btn-ghost btn-xs text-primary"
                        title="Let the program find the pencil"
                        onclick={() => void settings.setLift({ drop_out: null })}>auto</button
                    >
                {/if}
            </span>
        </div>
        <div class="grid grid-cols-2 gap-3">
            <Slider
                label="Reach"
                help="How far in hue a colour may be from a sample to be dropped; what is caught shows in blue"
                value={draft.reach}
                min={0}
                max={90}
                step={1}
                shown="{draft.reach}°"
                oninput={(v) => settings.move(() => (draft.reach = v), 'drop-out')}
                onsave={(soon) => settings.save(soon)}
            />
            <Slider
                label="Softness"
                help="How gently the catch ends beyond the reach"
                value={draft.softness}
                min={0}
                max={60}
                step={1}
                shown="{draft.softness}°"
                oninput={(v) => settings.move(() => (draft.softness = v), 'drop-out')}
                onsave={(soon) => settings.save(soon)}
            />
        </div>
        <Slider
            label="Even light"
            help="How much of the light’s unevenness is taken out"
            value={draft.even_light}
            min={0}
            max={1}
            step={0.01}
            shown="{Math.round(draft.even_light * 100)} %"
            oninput={(v) => settings.move(() => (draft.even_light = v))}
            onsave={(soon) => settings.save(soon)}
        />
        {#if facts}
            <div class="mt-2.5 flex items-baseline justify-between text-[13px]">
                <span>Ink, mid and paper points</span>
                <button
                    class="btn btn-ghost btn-xs text-primary"
                    disabled={draft.points === null}
                    onclick={() => void settings.setLift({ points: null })}
                    >{draft.points === null ? 'automatic' : 'auto'}</button
                >
            </div>
            <Histogram
                classes={facts.histogram}
                points={draft.points ?? facts.points}
                onmove={(p) => settings.move(() => (draft.points = p), 'points')}
                onsave={(soon) => settings.save(soon)}
            />
            {#if trade}
                <div
                    class="flex justify-between text-[12.5px]"
                    role="status"
                    title="Hover to see where"
                    data-testid="trade"
                    onmouseenter={watch('points')}
                    onmouseleave={watch(null)}
                >
                    <span class="flex items-center gap-1.5"
                        ><i class="inline-block size-[9px] border-2 border-error"></i>{(100 * trade.thin_lost).toFixed(
                            1,
                        )} % of thin lines lost</span
                    >
                    <span class="flex items-center gap-1.5"
                        ><i class="inline-block size-[10px] rounded-full border-2 border-[#2f6fb0]"
                        ></i>{trade.pencil_left} pencil bit{trade.pencil_left === 1 ? '' : 's'} left</span
                    >
                </div>
            {/if}
        {/if}
        <Slider
            label="Specks under"
            value={draft.specks}
            min={0}
            max={1}
            step={0.01}
            shown="{draft.specks.toFixed(2)} mm² · {facts?.specks_gone ?? 0} go"
            oninput={(v) => settings.move(() => (draft.specks = v), 'specks')}
            onsave={(soon) => settings.save(soon)}
        />
        <div class="-mt-0.5 flex items-center gap-1 text-[12.5px]">
            <button
                class="btn btn-ghost btn-xs px-1.5 text-primary"
                onmouseenter={watch('specks')}
                onmouseleave={watch(null)}
                onfocus={watch('specks')}
                onblur={watch(null)}>show them</button
            >
            <button
                class="btn btn-ghost btn-xs px-1.5 text-primary"
                aria-pressed={bench.tool === 'protect'}
                onclick={() => (bench.tool = bench.tool === 'protect' ? 'look' : 'protect')}
                >{view.by_hand.protected.length === 0
                    ? 'protect dots that are meant'
                    : `${view.by_hand.protected.length} protected`}</button
            >
        </div>
        <Slider
            label="Pinholes under"
            value={draft.pinholes}
            min={0}
            max={1}
            step={0.01}
            shown="{draft.pinholes.toFixed(2)} mm² · {facts?.pinholes_filled ?? 0} filled"
            oninput={(v) => settings.move(() => (draft.pinholes = v), 'pinholes')}
            onsave={(soon) => settings.save(soon)}
        />
        <Choice label="Edge" value={draft.edge} options={EDGES} onchoose={(edge) => void settings.setLift({ edge })} />
        <p class="quiet mt-1 text-[12.5px]">{COST[draft.edge]}</p>
        <fieldset class="mt-3 border-t border-base-300 pt-1.5">
            <legend class="sr-only">Touch up</legend>
            <div class="flex items-baseline justify-between text-[13px]">
                <span>Touch up</span>
                <button
                    class="btn btn-ghost btn-xs text-primary"
                    aria-pressed={bench.tool === 'touch'}
                    onclick={() => (bench.tool = bench.tool === 'touch' ? 'look' : 'touch')}
                    >{bench.tool === 'touch' ? 'put the brush down' : 'take the brush'}</button
                >
            </div>
            {#if bench.tool === 'touch'}
                <Choice
                    label="Where it is painted"
                    value={bench.effect}
                    options={EFFECTS}
                    onchoose={(v) => (bench.effect = v)}
                />
                <BrushPanel effect={bench.effect} />
            {/if}
        </fieldset>
        <button
            class="mt-2 flex w-full cursor-pointer items-center justify-between border-t border-base-300 pt-2 text-[13px]"
            aria-expanded={more}
            onclick={() => (more = !more)}
            ><span>Ink colour, grain, channels, polarity</span>{#if more}<ChevronUp size={16} />{:else}<ChevronDown
                    size={16}
                />{/if}</button
        >
        {#if more}
            <Choice label="Ink colour" value={inkKind} options={[...INKS]} onchoose={setInk} />
            {#if inkKind === 'any'}
                <label class="mt-1.5 flex items-center justify-between text-[13px]">
                    <span class="quiet">The colour</span>
                    <input
                        type="color"
                        class="h-7 w-10 cursor-pointer rounded border border-base-300"
                        value={hex(draft.ink_colour)}
                        oninput={(e) => (draft.ink_colour = fromHex(e.currentTarget.value))}
                        onchange={() => settings.save()}
                    />
                </label>
            {/if}
            <Slider
                label="Grain"
                help="How much of the paper’s tooth is kept: up to a half in the line, beyond that around it too"
                value={draft.grain}
                min={0}
                max={1}
                step={0.01}
                shown="{Math.round(draft.grain * 100)} % · {draft.grain === 0
                    ? 'none'
                    : draft.grain <= 0.5
                      ? 'in the line'
                      : 'around it too'}"
                oninput={(v) => settings.move(() => (draft.grain = v))}
                onsave={(soon) => settings.save(soon)}
            />
            <Choice
                label="Channels"
                value={mix}
                options={MIXES}
                onchoose={(v) => void settings.setLift({ mix: MIXES.find((m) => m.value === v)?.mix ?? [1, 1, 1] })}
            />
            {#if mix === 'own'}
                <div class="grid grid-cols-3 gap-3">
                    {#each ['Red', 'Green', 'Blue'] as name, c (name)}
                        <Slider
                            label={name}
                            value={draft.mix[c] ?? 0}
                            min={0}
                            max={1}
                            step={0.05}
                            shown={Math.round(100 * (draft.mix[c] ?? 0)).toString()}
                            oninput={(v) => settings.move(() => (draft.mix[c] = c === 1 ? Math.max(0.05, v) : v))}
                            onsave={(soon) => settings.save(soon)}
                        />
                    {/each}
                </div>
            {/if}
            <Choice
                label="Polarity"
                value={draft.polarity}
                options={[
                    { value: 'auto', name: facts?.light_ink ? 'Auto: light' : 'Auto: dark' },
                    { value: 'dark_ink', name: 'Dark ink' },
                    { value: 'light_ink', name: 'Light ink' },
                ]}
                onchoose={(polarity) => void settings.setLift({ polarity })}
            />
        {/if}
    </div>
    <TraceFooter />
{/if}
