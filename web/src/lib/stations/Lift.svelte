<script lang="ts">
    import Plus from '@lucide/svelte/icons/plus';
    import X from '@lucide/svelte/icons/x';
    import Choice from '../parts/Choice.svelte';
    import Histogram from '../parts/Histogram.svelte';
    import Slider from '../parts/Slider.svelte';
    import { bench } from '../state/bench.svelte';
    import { lift } from '../state/lift.svelte';
    import { sheet } from '../state/sheet.svelte';
    import type { Edge } from '../types/Edge';
    import { fromHex, hex } from '../units';

    const view = $derived(sheet.view);
    const draft = $derived(lift.draft);
    const facts = $derived(lift.facts);
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

    function trace() {
        void (async () => {
            await lift.save();
            if (await sheet.do({ do: 'trace' })) bench.enter('join');
        })();
    }
    const asks = $derived((view?.handmade ?? 0) > 0);
    let sure = $state(false);
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
        {#if lift.trouble}
            <p class="mt-2 rounded-lg bg-error/15 px-3 py-2 text-[13px]" role="alert">
                <b>{lift.trouble.charAt(0).toUpperCase() + lift.trouble.slice(1)}.</b><br />The sheet was kept as it is.
                Lower the paper point, or look at the original (hold <kbd class="key">Q</kbd>).
            </p>
        {/if}
        <div class="mt-2.5 flex items-center justify-between text-[13px]">
            <span>Drop out</span>
            <span class="flex items-center gap-1">
                {#each dropped as c, i (i)}
                    <button
                        class="group grid size-[22px] cursor-pointer place-items-center rounded-full border-2 border-base-100 ring-1 ring-base-300"
                        style:background={hex(c)}
                        title="Keep this colour"
                        aria-label="Stop dropping this colour"
                        onclick={() => {
                            draft.drop_out = dropped.filter((_, k) => k !== i);
                            void lift.save();
                        }}><X size={12} class="opacity-0 group-hover:opacity-100" /></button
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
                        onclick={() => {
                            draft.drop_out = null;
                            void lift.save();
                        }}>auto</button
                    >
                {/if}
            </span>
        </div>
        <Slider
            label="Reach"
            help="How far in hue a colour may be from a sample to be dropped"
            value={draft.reach}
            min={0}
            max={90}
            step={1}
            shown="{draft.reach}°"
            oninput={(v) => (draft.reach = v)}
            onsave={() => lift.save()}
        />
        <Slider
            label="Even light"
            help="How much of the light’s unevenness is taken out"
            value={draft.even_light}
            min={0}
            max={1}
            step={0.01}
            shown="{Math.round(draft.even_light * 100)} %"
            oninput={(v) => (draft.even_light = v)}
            onsave={() => lift.save()}
        />
        {#if facts}
            <div class="mt-2.5 flex items-baseline justify-between text-[13px]">
                <span>Ink, mid and paper points</span>
                <button
                    class="btn btn-ghost btn-xs text-primary"
                    disabled={draft.points === null}
                    onclick={() => {
                        draft.points = null;
                        void lift.save();
                    }}>{draft.points === null ? 'automatic' : 'auto'}</button
                >
            </div>
            <Histogram
                classes={facts.histogram}
                points={draft.points ?? facts.points}
                onmove={(p) => (draft.points = p)}
                onsave={() => lift.save()}
            />
        {/if}
        <Slider
            label="Specks under"
            value={draft.specks}
            min={0}
            max={1}
            step={0.01}
            shown="{draft.specks.toFixed(2)} mm² · {facts?.specks_gone ?? 0} go"
            oninput={(v) => (draft.specks = v)}
            onsave={() => lift.save()}
        />
        <Slider
            label="Pinholes under"
            value={draft.pinholes}
            min={0}
            max={1}
            step={0.01}
            shown="{draft.pinholes.toFixed(2)} mm² · {facts?.pinholes_filled ?? 0} filled"
            oninput={(v) => (draft.pinholes = v)}
            onsave={() => lift.save()}
        />
        <Choice
            label="Edge"
            value={draft.edge}
            options={EDGES}
            onchoose={(v) => {
                draft.edge = v;
                void lift.save();
            }}
        />
        <p class="quiet mt-1 text-[12.5px]">{COST[draft.edge]}</p>
        <label class="mt-2.5 flex items-center justify-between text-[13px]">
            <span>Ink colour</span>
            <input
                type="color"
                class="h-7 w-10 cursor-pointer rounded border border-base-300"
                value={hex(draft.ink_colour)}
                oninput={(e) => (draft.ink_colour = fromHex(e.currentTarget.value))}
                onchange={() => lift.save()}
            />
        </label>
    </div>
    <div class="border-t border-base-300 bg-base-200 px-4 py-3">
        {#if sure}
            <p class="mb-2 text-[13px]">
                Tracing again takes {view.handmade} bridge{view.handmade === 1 ? '' : 's'} and cut lines away. Undo brings
                them back.
            </p>
            <div class="flex gap-2">
                <button class="btn btn-primary btn-sm" onclick={() => ((sure = false), trace())}>Trace again</button>
                <button class="btn btn-sm btn-ghost" onclick={() => (sure = false)}>Keep them</button>
            </div>
        {:else if view.traced && !view.stale}
            <p class="quiet mb-2 text-[12.5px]">Lifted and traced: {view.lines.length} lines.</p>
            <button class="btn btn-primary btn-sm" onclick={() => bench.enter('join')}>Go on to Join</button>
        {:else}
            {#if view.stale}<p class="mb-2 text-[12.5px]">The lines are older than these settings.</p>{/if}
            <button
                class="btn btn-primary btn-sm"
                disabled={!!lift.trouble || sheet.busy}
                onclick={() => (asks ? (sure = true) : trace())}
            >
                {view.traced ? 'Trace again' : 'Lift and trace'}
            </button>
        {/if}
    </div>
{/if}
