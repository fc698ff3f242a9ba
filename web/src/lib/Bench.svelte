<script lang="ts">
    import type { Component } from 'svelte';
    import Brush from '@lucide/svelte/icons/brush';
    import Crop from '@lucide/svelte/icons/crop';
    import Crosshair from '@lucide/svelte/icons/crosshair';
    import Droplets from '@lucide/svelte/icons/droplets';
    import Eraser from '@lucide/svelte/icons/eraser';
    import Hand from '@lucide/svelte/icons/hand';
    import Keyboard from '@lucide/svelte/icons/keyboard';
    import LassoSelect from '@lucide/svelte/icons/lasso-select';
    import Moon from '@lucide/svelte/icons/moon';
    import PaintBucket from '@lucide/svelte/icons/paint-bucket';
    import Pipette from '@lucide/svelte/icons/pipette';
    import Pointer from '@lucide/svelte/icons/pointer';
    import Redo2 from '@lucide/svelte/icons/redo-2';
    import Ruler from '@lucide/svelte/icons/ruler';
    import Scan from '@lucide/svelte/icons/scan';
    import Scissors from '@lucide/svelte/icons/scissors';
    import Shield from '@lucide/svelte/icons/shield';
    import Slice from '@lucide/svelte/icons/slice';
    import Spline from '@lucide/svelte/icons/spline';
    import Sun from '@lucide/svelte/icons/sun';
    import SwatchBook from '@lucide/svelte/icons/swatch-book';
    import Trash2 from '@lucide/svelte/icons/trash-2';
    import Undo2 from '@lucide/svelte/icons/undo-2';
    import { beside } from './beside';
    import type { Box } from './canvas/box';
    import Canvas from './canvas/Canvas.svelte';
    import CutEnds from './parts/CutEnds.svelte';
    import PegBar from './parts/PegBar.svelte';
    import RootOfStations from './parts/RootOfStations.svelte';
    import Tray from './parts/Tray.svelte';
    import { go } from './route.svelte';
    import { alike } from './state/alike.svelte';
    import { bench, TOOLS, type Backdrop, type Tool } from './state/bench.svelte';
    import { findings } from './state/findings.svelte';
    import { groups } from './state/groups.svelte';
    import { settings } from './state/inking.svelte';
    import { intake } from './state/intake.svelte';
    import { probe } from './state/probe.svelte';
    import { sheet } from './state/sheet.svelte';
    import { shots } from './state/shots.svelte';
    import type { Pt } from './types/Pt';
    import HandOff from './stations/HandOff.svelte';
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
    const SHOWN: Record<Tool, { name: string; help: string; icon: Component<{ size?: number }> }> = {
        look: { name: 'Look', help: 'Drag to pan, click a mark to take it in hand', icon: Hand },
        level: { name: 'Level', help: 'Draw along a line that should be level', icon: Ruler },
        crop: { name: 'Crop', help: 'Drag a box around what is to stay', icon: Crop },
        corners: { name: 'Corners', help: 'Put four handles on the paper’s corners', icon: Scan },
        marks: {
            name: 'Two marks',
            help: 'Drag from one mark to another: every sheet is laid by them',
            icon: Crosshair,
        },
        sample: { name: 'Sample pencil', help: 'Click a pencil line: its colour is dropped', icon: Pipette },
        touch: { name: 'Touch up', help: 'Paint where the settings should do more, less or nothing', icon: Brush },
        protect: { name: 'Protect', help: 'Click a dot that is meant: it stays', icon: Shield },
        area: { name: 'Paint area', help: 'Paint where the weight is to change', icon: Brush },
        choose: { name: 'Choose lines', help: 'Click lines to take them in hand', icon: Pointer },
        sweep: {
            name: 'Sweep',
            help: 'A quick stroke across tails cuts them at the other line’s edge',
            icon: Scissors,
        },
        cut: {
            name: 'Cut out',
            help: 'Draw around what is to go, a box with Shift: lines are cut where it passes',
            icon: LassoSelect,
        },
        seam: {
            name: 'Seam',
            help: 'Draw a boundary without ink, straight with Shift; its ends reach the nearest lines',
            icon: Spline,
        },
        span: { name: 'Span', help: 'Click a stretch between two crossings, then take it away', icon: Slice },
        leak: {
            name: 'Leak test',
            help: 'Click where paint does not hold: the way it runs out is shown',
            icon: Droplets,
        },
        'take-away': { name: 'Take away', help: 'Click a bridge or seam to take it away', icon: Trash2 },
        fill: { name: 'Fill', help: 'Click a region, or drag across many', icon: PaintBucket },
        pick: { name: 'Pick', help: 'Take the swatch from the drawing', icon: SwatchBook },
        clear: { name: 'Clear', help: 'Take the paint out of regions', icon: Eraser },
    };
    const tools = $derived.by(() => {
        // Lines are chosen only where there are some; an area is painted only for the ink.
        const fits = (t: Tool) =>
            bench.station !== 'weight' ||
            t === 'look' ||
            (t === 'choose') === (!!view?.traced && (bench.weighs === 'lines' || !view.lift));
        return TOOLS[bench.station].filter(fits).map((tool) => ({ tool, ...SHOWN[tool] }));
    });
    const comparing = $derived(settings.shown);
    $effect(() => {
        if (bench.station === 'intake' && bench.tool === 'corners' && bench.corners === null) void intake.takeCorners();
        if (bench.tool !== 'corners') bench.corners = null;
    });
    const now = $derived(findings.current);
    /** How large what is offered is on the screen. */
    const offered = $state({ width: 260, height: 32 });
    interface Offer {
        key: string;
        name: string;
        run: () => void;
    }
    /** What can be done about the thing in hand, beside it. */
    const offers = $derived.by(() => {
        // Around what is in question stays free, with the ring or mark that shows it.
        const put = (box: Box, margin: number, says: string, list: Offer[]) => {
            const [a, b] = [bench.camera.toScreen([box[0], box[1]]), bench.camera.toScreen([box[2], box[3]])];
            const thing: Box = [a[0] - margin, a[1] - margin, b[0] + margin, b[1] + margin];
            const room: Box = [8, 52, bench.camera.width - 8, bench.camera.height - 84];
            const others = findings
                .near(bench.camera.box(), 0)
                .filter((f) => f !== now)
                .flatMap((f) => [f.at, ...(f.to ? [f.to] : [])].map((p) => bench.camera.toScreen(p)))
                .map(([x, y]): Box => [x - 11, y - 11, x + 11, y + 11]);
            const [x, y] = beside(thing, offered, room, others);
            return { x, y, says, list };
        };
        const around = (at: Pt): Box => [at[0], at[1], at[0], at[1]];
        const leak = probe.leak?.leak;
        if (leak && view) {
            const mm = (leak.width / view.dpi) * 25.4;
            const says = `${leak.outside ? 'Leaks out here' : 'Holds; narrowest here'}: ${mm.toFixed(1)} mm · ${leak.width.toFixed(0)} px`;
            return put(around(leak.at), 24, says, [
                { key: 'A', name: 'Ink bridge', run: () => void probe.close('bridge') },
                { key: 'S', name: 'Seam', run: () => void probe.close('seam') },
            ]);
        }
        if (probe.span) {
            const run = () => void probe.takeSpan();
            return put(around(probe.span.at), 24, '', [{ key: 'Del', name: 'Take the span away', run }]);
        }
        if (!now || !view) return null;
        const to = now.to ?? now.at;
        const list: Offer[] = [];
        const settle = (how: 'accept' | 'seam' | 'leave') => () => void findings.settle(now, how);
        if (now.left) list.push({ key: 'X', name: 'Open again', run: settle('leave') });
        else {
            if (now.kind === 'gap' || now.kind === 'leak')
                list.push(
                    { key: 'A', name: 'Ink bridge', run: settle('accept') },
                    { key: 'S', name: 'Seam', run: settle('seam') },
                );
            else if (now.kind === 'tail') list.push({ key: 'A', name: 'Cut', run: settle('accept') });
            else if (now.kind === 'unpainted' || now.kind === 'two_paints') {
                const s = shots.shot?.swatches.find((s) => s.id === bench.swatch);
                if (s) list.push({ key: 'A', name: `Fill: ${s.name}`, run: settle('accept') });
            }
            list.push({
                key: 'X',
                name: now.kind === 'gap' || now.kind === 'leak' ? 'Leave open' : 'Leave',
                run: settle('leave'),
            });
        }
        const like = groups.like(now).length;
        const all = now.left ? `Open all ${like} like this again` : `Leave all ${like} like this`;
        if (like > 0) list.push({ key: '⇧ X', name: all, run: () => void alike.leaveLike(now) });
        const span: Box = [
            Math.min(now.at[0], to[0]),
            Math.min(now.at[1], to[1]),
            Math.max(now.at[0], to[0]),
            Math.max(now.at[1], to[1]),
        ];
        return put(span, now.kind === 'unpainted' ? 12 : 36, '', list);
    });
    $effect(() => {
        void sheet.view;
        probe.follow();
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
                >Shot {shots.shot?.number ?? ''} · {view?.info.name ?? ''}</b
            >
        </div>
        <RootOfStations />
        <div class="flex items-center gap-1">
            <span class="quiet mr-1 text-right text-[12.5px] leading-tight" aria-live="polite" data-testid="saved">
                {sheet.late ? 'Saving …' : sheet.refused ? 'Last step not done' : 'Saved'}<br />step {view?.steps ?? 0}
            </span>
            <button
                class="btn btn-ghost btn-sm btn-square"
                disabled={!view?.undo}
                onclick={() => sheet.undo()}
                title={view?.undo ? `Undo: ${view.undo} (Ctrl Z)` : 'Nothing to undo'}
                aria-label="Undo"><Undo2 size={18} /></button
            >
            <button
                class="btn btn-ghost btn-sm btn-square"
                disabled={!view?.redo}
                onclick={() => sheet.redo()}
                title={view?.redo ? `Do again: ${view.redo} (Ctrl Shift Z)` : 'Nothing to do again'}
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
        </div>
        <div class="pill absolute top-3 right-3 flex items-center gap-3">
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
        {#if offers && (bench.station === 'join' || bench.station === 'paint')}
            <div
                bind:clientWidth={offered.width}
                bind:clientHeight={offered.height}
                class="absolute flex -translate-x-1/2 -translate-y-1/2 items-center gap-1 rounded-[10px] bg-[#2a2822] px-2 py-1 text-[12.5px] whitespace-nowrap text-[#f7f2e6] shadow-lg"
                style:left="{offers.x}px"
                style:top="{offers.y}px"
            >
                {#if offers.says}<span class="px-1.5 font-semibold">{offers.says}</span>{/if}
                {#each offers.list as o (o.key)}
                    <button class="cursor-pointer rounded-md px-1.5 py-0.5 hover:bg-white/15" onclick={o.run}
                        >{o.name} <kbd class="key">{o.key}</kbd></button
                    >
                {/each}
            </div>
        {/if}
        {#if view && tools.length > 1 && (view.traced || ['intake', 'lift', 'weight'].includes(bench.station))}
            <Tray {tools} />
            {#if bench.station === 'join' && bench.tool === 'cut'}<CutEnds />{/if}
        {/if}
        {#if sheet.loading}<p class="pill absolute top-1/2 left-1/2 -translate-x-1/2">Opening the drawing …</p>{/if}
    </main>
    <aside class="flex min-h-0 flex-col border-l border-base-300 bg-base-100">
        {#if bench.station === 'intake'}<Intake />{:else if bench.station === 'lift'}<Lift
            />{:else if bench.station === 'weight'}<Weight />{:else if bench.station === 'trace'}<Trace
            />{:else if bench.station === 'join'}<Join />{:else if bench.station === 'paint'}<Paint />{:else}<HandOff
            />{/if}
    </aside>
    <div class="col-span-2"><PegBar {onbringin} /></div>
</div>
