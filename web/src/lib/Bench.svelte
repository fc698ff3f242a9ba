<script lang="ts">
    import Brush from '@lucide/svelte/icons/brush';
    import Eraser from '@lucide/svelte/icons/eraser';
    import Hand from '@lucide/svelte/icons/hand';
    import Keyboard from '@lucide/svelte/icons/keyboard';
    import Moon from '@lucide/svelte/icons/moon';
    import PaintBucket from '@lucide/svelte/icons/paint-bucket';
    import Pipette from '@lucide/svelte/icons/pipette';
    import Redo2 from '@lucide/svelte/icons/redo-2';
    import Scissors from '@lucide/svelte/icons/scissors';
    import Spline from '@lucide/svelte/icons/spline';
    import Sun from '@lucide/svelte/icons/sun';
    import Trash2 from '@lucide/svelte/icons/trash-2';
    import Undo2 from '@lucide/svelte/icons/undo-2';
    import Canvas from './canvas/Canvas.svelte';
    import PegBar from './parts/PegBar.svelte';
    import RootOfStations from './parts/RootOfStations.svelte';
    import Tray from './parts/Tray.svelte';
    import { go } from './route.svelte';
    import { bench, type Backdrop } from './state/bench.svelte';
    import { findings } from './state/findings.svelte';
    import { lift } from './state/lift.svelte';
    import { sheet } from './state/sheet.svelte';
    import { shots } from './state/shots.svelte';
    import HandOff from './stations/HandOff.svelte';
    import Join from './stations/Join.svelte';
    import Lift from './stations/Lift.svelte';
    import Paint from './stations/Paint.svelte';

    interface Props {
        onbringin: () => void;
    }
    const { onbringin }: Props = $props();
    const BACKDROPS: Backdrop[] = ['paper', 'white', 'grey', 'black', 'checker'];
    const view = $derived(sheet.view);
    const look = {
        tool: 'look' as const,
        name: 'Look',
        help: 'Drag to pan, click a mark to take it in hand',
        icon: Hand,
    };
    const tools = $derived(
        {
            lift: [
                look,
                {
                    tool: 'sample' as const,
                    name: 'Sample pencil',
                    help: 'Click a pencil line: its colour is dropped',
                    icon: Pipette,
                },
            ],
            join: [
                look,
                {
                    tool: 'sweep' as const,
                    name: 'Sweep',
                    help: 'A quick stroke across tails cuts them at the other line’s edge',
                    icon: Scissors,
                },
                {
                    tool: 'seam' as const,
                    name: 'Seam',
                    help: 'Draw a boundary without ink; its ends reach the nearest lines',
                    icon: Spline,
                },
                {
                    tool: 'take-away' as const,
                    name: 'Take away',
                    help: 'Click a bridge or seam to take it away',
                    icon: Trash2,
                },
            ],
            paint: [
                look,
                { tool: 'fill' as const, name: 'Fill', help: 'Click a region, or drag across many', icon: PaintBucket },
                { tool: 'pick' as const, name: 'Pick', help: 'Take the swatch from the drawing', icon: Brush },
                { tool: 'clear' as const, name: 'Clear', help: 'Take the paint out of regions', icon: Eraser },
            ],
            'hand-off': [],
        }[bench.station],
    );
    const now = $derived(findings.current);
    const offers = $derived.by(() => {
        if (!now || !view) return null;
        const to = now.to ?? now.at;
        const [x, y] = bench.camera.toScreen([(now.at[0] + to[0]) / 2, Math.max(now.at[1], to[1])]);
        const list: { key: string; name: string; how: 'accept' | 'seam' | 'leave' }[] = [];
        if (now.left) list.push({ key: 'X', name: 'Open again', how: 'leave' });
        else {
            if (now.kind === 'gap')
                list.push({ key: 'A', name: 'Ink bridge', how: 'accept' }, { key: 'S', name: 'Seam', how: 'seam' });
            else if (now.kind === 'tail') list.push({ key: 'A', name: 'Cut', how: 'accept' });
            else if (now.kind === 'unpainted' || now.kind === 'two_paints') {
                const s = shots.shot?.swatches.find((s) => s.id === bench.swatch);
                if (s) list.push({ key: 'A', name: `Fill: ${s.name}`, how: 'accept' });
            }
            list.push({ key: 'X', name: now.kind === 'gap' ? 'Leave open' : 'Leave', how: 'leave' });
        }
        const below = now.kind === 'unpainted' ? 24 : 52;
        return {
            x: Math.min(Math.max(150, x), bench.camera.width - 150),
            y: Math.min(Math.max(60, y + below), bench.camera.height - 110),
            list,
        };
    });

    $effect(() => {
        void sheet.view;
        lift.follow();
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
                {sheet.waiting > 0 ? 'Saving …' : 'Saved'}<br />step {view?.steps ?? 0}
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
                    {#each BACKDROPS as b (b)}<option value={b}>{b}</option>{/each}
                </select></label
            >
            {#if bench.station === 'lift'}
                <button
                    class="cursor-pointer {bench.wipe === null ? '' : 'font-bold text-primary'}"
                    aria-pressed={bench.wipe !== null}
                    title="Original at the left, result at the right (W)"
                    onclick={() => (bench.wipe = bench.wipe === null ? 0.5 : null)}>Wipe</button
                >
            {/if}
            <button
                class="cursor-pointer select-none {bench.blink ? 'font-bold text-primary' : ''}"
                title="Hold to see the original (Q)"
                onpointerdown={() => (bench.blink = true)}
                onpointerup={() => (bench.blink = false)}
                onpointerleave={() => (bench.blink = false)}>Original <kbd class="key">Q</kbd></button
            >
        </div>
        {#if bench.station === 'lift' && bench.wipe !== null && !bench.blink}
            <span class="pill pointer-events-none absolute top-14" style:right="calc({(1 - bench.wipe) * 100}% + 12px)"
                >As scanned</span
            >
            <span class="pill pointer-events-none absolute top-14" style:left="calc({bench.wipe * 100}% + 12px)"
                >Lifted</span
            >
            <span
                class="pointer-events-none absolute top-1/2 grid h-11 w-7 -translate-x-1/2 -translate-y-1/2 place-items-center rounded-full border-2 border-[#2a2822] bg-[#f7f2e6] text-[13px] text-[#2a2822]"
                style:left="{bench.wipe * 100}%">‹ ›</span
            >
        {/if}
        {#if bench.blink}<span class="pill pointer-events-none absolute top-14 left-1/2 -translate-x-1/2">Original</span
            >{/if}
        {#if offers && bench.station !== 'lift'}
            <div
                class="absolute flex -translate-x-1/2 gap-1 rounded-[10px] bg-[#2a2822] px-2 py-1 text-[12.5px] whitespace-nowrap text-[#f7f2e6] shadow-lg"
                style:left="{offers.x}px"
                style:top="{offers.y}px"
            >
                {#each offers.list as o (o.key)}
                    <button
                        class="cursor-pointer rounded-md px-1.5 py-0.5 hover:bg-white/15"
                        onclick={() => now && findings.settle(now, o.how)}
                        >{o.name} <kbd class="key">{o.key}</kbd></button
                    >
                {/each}
            </div>
        {/if}
        {#if tools.length > 0 && view?.traced !== false}<Tray {tools} />{:else if bench.station === 'lift' && view}<Tray
                {tools}
            />{/if}
        {#if sheet.loading}<p class="pill absolute top-1/2 left-1/2 -translate-x-1/2">Opening the drawing …</p>{/if}
    </main>
    <aside class="flex min-h-0 flex-col border-l border-base-300 bg-base-100">
        {#if bench.station === 'lift'}<Lift />{:else if bench.station === 'join'}<Join
            />{:else if bench.station === 'paint'}<Paint />{:else}<HandOff />{/if}
    </aside>
    <div class="col-span-2"><PegBar {onbringin} /></div>
</div>
