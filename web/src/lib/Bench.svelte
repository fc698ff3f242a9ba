<script lang="ts">
    import { untrack } from 'svelte';
    import Keyboard from '@lucide/svelte/icons/keyboard';
    import Moon from '@lucide/svelte/icons/moon';
    import Redo2 from '@lucide/svelte/icons/redo-2';
    import Sun from '@lucide/svelte/icons/sun';
    import Undo2 from '@lucide/svelte/icons/undo-2';
    import { offers } from './actions/offers.svelte';
    import { beside } from './geometry/beside';
    import type { Box } from './geometry/box';
    import Canvas from './canvas/Canvas.svelte';
    import LightTable from './parts/LightTable.svelte';
    import PlayStrip from './parts/PlayStrip.svelte';
    import CutEnds from './parts/CutEnds.svelte';
    import PegBar from './parts/PegBar.svelte';
    import ReferencePicture from './parts/ReferencePicture.svelte';
    import Shading from './parts/Shading.svelte';
    import RootOfStations from './parts/RootOfStations.svelte';
    import Tray from './parts/Tray.svelte';
    import Who from './parts/Who.svelte';
    import ViewTurned from './parts/ViewTurned.svelte';
    import { go } from './state/route.svelte';
    import { alike } from './state/alike.svelte';
    import { bench, type Backdrop } from './state/bench.svelte';
    import { findings } from './state/findings.svelte';
    import { settings } from './state/inking.svelte';
    import { intake } from './state/intake.svelte';
    import { lightTable } from './state/lightTable.svelte';
    import { play } from './state/play.svelte';
    import { probe } from './state/probe.svelte';
    import { sheet } from './state/sheet.svelte';
    import { shots } from './state/shots.svelte';
    import { undoing } from './state/undoing.svelte';
    import { tray } from './tools';
    import { follow as followPoints } from './tools/points';
    import HandOff from './stations/HandOff.svelte';
    import Draw from './stations/Draw.svelte';
    import Intake from './stations/Intake.svelte';
    import Join from './stations/Join.svelte';
    import Lift from './stations/Lift.svelte';
    import Paint from './stations/Paint.svelte';
    import Trace from './stations/Trace.svelte';
    import Weight from './stations/Weight.svelte';

    interface Props {
        onbringin: () => void;
    }
    const { onbringin }: Props = $props();
    const BACKDROPS: Backdrop[] = ['paper', 'white', 'grey', 'black', 'checker', 'colour'];
    const view = $derived(sheet.view);
    const tools = $derived(tray());
    const comparing = $derived(settings.shown);
    $effect(() => {
        if (bench.station === 'intake' && bench.tool === 'corners' && bench.corners === null) void intake.takeCorners();
        if (bench.tool !== 'corners') bench.corners = null;
    });
    /** How large what is offered is on the screen. */
    const offered = $state({ width: 260, height: 32 });
    /** Where what is offered about the thing in hand stands: around that, and around other marks, stays free. */
    const offersAt = $derived.by(() => {
        const thing = offers.inHand;
        if (!thing) return null;
        const { camera } = bench;
        const { box, margin } = thing;
        const [left, top, right, low] = camera.boxOnScreen(box);
        const free: Box = [left - margin, top - margin, right + margin, low + margin];
        const room: Box = [8, 52, camera.width - 8, camera.height - 84];
        const others = findings
            .near(camera.box(), 0)
            .filter((f) => f !== findings.current)
            .flatMap((f) => [f.at, ...(f.to ? [f.to] : [])].map((p) => camera.toScreen(p)))
            .map(([x, y]): Box => [x - 11, y - 11, x + 11, y + 11]);
        return beside(free, offered, room, others);
    });
    $effect(() => {
        void sheet.view;
        probe.follow();
    });
    $effect(() => {
        void [sheet.view, bench.chosen, bench.tool];
        untrack(followPoints);
    });
    $effect(() => {
        void [sheet.view, bench.station];
        alike.follow();
    });

    $effect(() => {
        void [sheet.view, sheet.waiting];
        settings.follow();
    });
</script>

<div class="grid h-full grid-cols-[1fr_324px] grid-rows-[58px_1fr_auto]">
    <header class="col-span-2 flex items-center gap-4 border-b border-base-300 px-4">
        <button
            class="cursor-pointer font-head text-[21px] font-semibold tracking-tight text-primary"
            onclick={() => go({ at: 'shots' })}
            title="All shots">Rhizograph</button
        >
        <div class="w-[150px] text-[13px] leading-tight">
            {shots.production?.name ?? ''}<br /><b class="block truncate text-[14px]"
                >{shots.shot ? `Shot ${shots.shot.number}` : ''}{view ? ` · ${view.info.name}` : ''}</b
            >
        </div>
        <RootOfStations />
        <div class="flex items-center gap-1">
            <span
                class="quiet mr-1 text-right text-[12.5px] leading-tight"
                class:invisible={!view}
                aria-live="polite"
                data-testid="saved"
            >
                {sheet.late ? 'Saving …' : sheet.refused ? 'Last step not done' : 'Saved'}<br />step {view?.steps ?? 0}
            </span>
            <button
                class="btn btn-ghost btn-sm btn-square"
                disabled={!undoing.undoes}
                onclick={() => undoing.undo()}
                title={undoing.undoes ? `Undo: ${undoing.undoes} (Ctrl Z)` : 'Nothing to undo'}
                aria-label="Undo"><Undo2 size={18} /></button
            >
            <button
                class="btn btn-ghost btn-sm btn-square"
                disabled={!undoing.redoes}
                onclick={() => undoing.redo()}
                title={undoing.redoes ? `Do again: ${undoing.redoes} (Ctrl Shift Z)` : 'Nothing to do again'}
                aria-label="Do again"><Redo2 size={18} /></button
            >
            <button
                class="btn btn-ghost btn-sm btn-square"
                onclick={() => (bench.keysShown = true)}
                title="Keys (?)"
                aria-label="Keys"><Keyboard size={18} /></button
            >
            <button
                class="btn btn-ghost btn-sm btn-square"
                onclick={() => (bench.theme = bench.theme === 'paper' ? 'dusk' : 'paper')}
                title={bench.theme === 'paper' ? 'Evening light' : 'Daylight'}
                aria-label="Change the theme"
                >{#if bench.theme === 'paper'}<Moon size={18} />{:else}<Sun size={18} />{/if}</button
            >
            <Who />
        </div>
    </header>
    <main class="relative min-h-0 overflow-hidden bg-(--desk)">
        <Canvas />
        <div class="pill absolute top-3 left-3 flex items-center gap-2">
            <button
                class="cursor-pointer"
                title="The whole sheet (F)"
                onclick={() => view && bench.camera.fit(view.width, view.height)}
                >{Math.round(bench.camera.scale * 100)} %</button
            >
            {#if view}<span class="quiet">{view.width} × {view.height} px · {view.dpi} dpi</span>{/if}
            <ViewTurned />
        </div>
        <div class="pill absolute top-3 right-3 flex items-center gap-3">
            {#if bench.station === 'draw'}
                <label class="flex items-center gap-1"
                    >Chart
                    <select class="cursor-pointer bg-base-100 font-semibold" bind:value={bench.chart}>
                        <option value="none">none</option>
                        <option value="12">12 field</option>
                        <option value="16">16 field</option>
                        <option value="grid">10 mm grid</option>
                    </select></label
                >
                {#if bench.chart !== 'none'}
                    <button
                        class="cursor-pointer"
                        title="Whether ink lies over the chart"
                        onclick={() => (bench.chartUnder = !bench.chartUnder)}
                        >{bench.chartUnder ? 'under' : 'over'}</button
                    >
                {/if}
            {/if}
            {#if bench.station === 'paint'}
                <label class="flex items-center gap-1"
                    >Show
                    <select
                        class="cursor-pointer bg-base-100 font-semibold"
                        title="Lines, paint or both (U)"
                        bind:value={bench.shows}
                    >
                        <option value="both">both</option>
                        <option value="lines">lines</option>
                        <option value="paint">paint</option>
                    </select></label
                >
            {/if}
            <label class="flex items-center gap-1"
                >Backdrop
                <select class="cursor-pointer bg-base-100 font-semibold" bind:value={bench.backdrop}>
                    {#each BACKDROPS as b (b)}<option value={b}>{b === 'colour' ? 'any colour' : b}</option>{/each}
                </select></label
            >
            {#if bench.backdrop === 'colour'}
                <input
                    type="color"
                    class="h-5 w-7 cursor-pointer"
                    aria-label="Colour of the backdrop"
                    bind:value={bench.anyColour}
                />
            {/if}
            {#if comparing}
                <button
                    class="cursor-pointer {bench.tint ? 'font-bold text-primary' : ''}"
                    aria-pressed={bench.tint}
                    title="The result tinted loud over the original (C)"
                    onclick={() => (bench.tint = !bench.tint)}>Tint</button
                >
                <button
                    class="cursor-pointer {bench.wipe === null ? '' : 'font-bold text-primary'}"
                    aria-pressed={bench.wipe !== null}
                    title="Original at the left, result at the right (W)"
                    onclick={() => (bench.wipe = bench.wipe === null ? 0.5 : null)}>Wipe</button
                >
            {/if}
            <button
                class="cursor-pointer select-none {bench.station === 'intake' ? 'hidden' : ''} {bench.blink
                    ? 'font-bold text-primary'
                    : ''}"
                title="Hold to see the original (Q)"
                onpointerdown={() => (bench.blink = true)}
                onpointerup={() => (bench.blink = false)}
                onpointerleave={() => (bench.blink = false)}>Original <kbd class="key">Q</kbd></button
            >
        </div>
        {#if lightTable.settings.on || play.running}
            <div class="absolute top-14 right-3 grid justify-items-end gap-2">
                {#if play.running}<PlayStrip />{/if}
                {#if lightTable.settings.on && !play.running}<LightTable />{/if}
            </div>
        {/if}
        {#if lightTable.flipped && !play.running}<span
                class="pill pointer-events-none absolute top-14 left-1/2 -translate-x-1/2"
                data-testid="flipped">{lightTable.flipped.name}</span
            >{/if}
        {#if comparing && bench.wipe !== null && !bench.blink}
            <span class="pill pointer-events-none absolute top-14" style:right="calc({(1 - bench.wipe) * 100}% + 12px)"
                >As scanned</span
            >
            <span class="pill pointer-events-none absolute top-14" style:left="calc({bench.wipe * 100}% + 12px)"
                >{bench.station === 'weight' ? 'Weighed' : bench.station === 'trace' ? 'Traced' : 'Lifted'}</span
            >
            <span
                class="pointer-events-none absolute top-1/2 grid h-11 w-7 -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full border-2 border-[#2a2822] bg-[#f7f2e6] text-[13px] text-[#2a2822]"
                style:left="{bench.wipe * 100}%">‹ ›</span
            >
        {/if}
        {#if bench.blink}<span class="pill pointer-events-none absolute top-14 left-1/2 -translate-x-1/2">Original</span
            >{/if}
        {#if offers.inHand && offersAt}
            <div
                bind:clientWidth={offered.width}
                bind:clientHeight={offered.height}
                class="absolute flex -translate-x-1/2 -translate-y-1/2 items-center gap-1 rounded-[10px] bg-[#2a2822] px-2 py-1 text-[12.5px] whitespace-nowrap text-[#f7f2e6] shadow-lg"
                style:left="{offersAt[0]}px"
                style:top="{offersAt[1]}px"
            >
                {#if offers.inHand.says}<span class="px-1.5 font-semibold">{offers.inHand.says}</span>{/if}
                {#each offers.inHand.list as o (o.key)}
                    <button class="cursor-pointer rounded-md px-1.5 py-0.5 hover:bg-white/15" onclick={o.run}
                        >{o.name} <kbd class="key">{o.key}</kbd></button
                    >
                {/each}
            </div>
        {/if}
        {#if view && tools.length > 1 && (view.traced || ['intake', 'lift', 'weight'].includes(bench.station))}
            <Tray {tools} />
            {#if bench.tool === 'cut'}<CutEnds />{/if}
            {#if bench.tool === 'tone-cut'}<Shading />{/if}
        {/if}
        {#if sheet.loading}<p class="pill absolute top-1/2 left-1/2 -translate-x-1/2">Opening the drawing …</p>{/if}
    </main>
    <aside class="flex min-h-0 flex-col border-l border-base-300 bg-base-100">
        {#if bench.station === 'intake'}<Intake />{:else if bench.station === 'lift'}<Lift
            />{:else if bench.station === 'weight'}<Weight />{:else if bench.station === 'trace'}<Trace
            />{:else if bench.station === 'draw'}<Draw />{:else if bench.station === 'join'}<Join
            />{:else if bench.station === 'paint'}<Paint />{:else}<HandOff />{/if}
    </aside>
    <div class="col-span-2"><PegBar {onbringin} /></div>
    {#if bench.station === 'paint'}<ReferencePicture />{/if}
</div>
