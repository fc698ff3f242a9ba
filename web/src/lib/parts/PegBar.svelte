<script lang="ts">
    import FilePlus from '@lucide/svelte/icons/file-plus';
    import FileUp from '@lucide/svelte/icons/file-up';
    import Layers2 from '@lucide/svelte/icons/layers-2';
    import Play from '@lucide/svelte/icons/play';
    import { thumbnailUrl } from '../api';
    import { colours } from '../state/colours.svelte';
    import { go } from '../state/route.svelte';
    import { bench } from '../state/bench.svelte';
    import { lightTable, TINTS } from '../state/lightTable.svelte';
    import { people } from '../state/people.svelte';
    import Face from './Face.svelte';
    import { play } from '../state/play.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import { underlay } from '../state/underlay.svelte';
    import type { DrawingInfo } from '../types/DrawingInfo';

    interface Props {
        onbringin: () => void;
    }
    const { onbringin }: Props = $props();
    /** Another shot's, before it is known which one the drawing that is opened hangs in, would be pictured for nothing. */
    const drawings = $derived.by(() => {
        const isKnown = sheet.view ? shots.shot?.id === sheet.view.shot : !sheet.loading;
        return isKnown ? (shots.shot?.drawings ?? []) : [];
    });
    /** The drawing on the bench is pictured anew when it was left alone for a moment. */
    let rested = $state<{ id: number; revision: number } | null>(null);
    const mine = $derived(drawings.find((d) => d.id === sheet.view?.info.id));
    $effect(() => {
        if (!mine) return;
        const { id, revision } = mine;
        if (rested?.id !== id) rested = { id, revision };
        const timer = setTimeout(() => (rested = { id, revision }), 1500);
        return () => clearTimeout(timer);
    });
    const pictured = (d: DrawingInfo) => (rested?.id === d.id ? rested.revision : d.revision);
    const ready = $derived(drawings.filter((d) => d.ready).length);

    /** A ring is painted, but all of it or some by being carried. */
    type Dot = 'done' | 'open' | 'none' | 'carried';

    function dots(d: DrawingInfo): Dot[] {
        const p = d.progress;
        const at = (open: number, done: Dot = 'done') => (!p.lifted ? 'none' : open === 0 ? done : 'open');
        const paint = at(p.paint_open, p.carried > 0 ? 'carried' : 'done');
        return [p.lifted ? 'done' : 'none', at(p.join_open), paint, d.handed_off ? 'done' : 'none'];
    }

    function words(d: DrawingInfo) {
        const p = d.progress;
        if (!p.lifted) return 'not lifted yet';
        const open = p.join_open + p.paint_open;
        const says = open ? `${open} to settle` : d.handed_off ? 'handed off' : 'ready';
        const doubtful = p.doubtful > 0 ? `, ${p.doubtful} of them doubtful` : '';
        return p.carried > 0 ? `${says}; ${p.carried} regions carried${doubtful}` : says;
    }

    function who(d: DrawingInfo) {
        const here = people.on(d.id).map((p) => people.nameOf(p));
        return here.length > 0 ? ` ${here.join(', ')} ${here.length === 1 ? 'is' : 'are'} on it.` : '';
    }

    /** The drawing that is dragged, over which one, on which side of it it would hang. */
    let hung = $state<{ id: number; over: number; behind: boolean } | null>(null);

    function take(e: DragEvent, d: DrawingInfo) {
        e.dataTransfer?.setData('text/plain', d.name);
        hung = { id: d.id, over: d.id, behind: false };
    }

    function over(e: DragEvent, d: DrawingInfo) {
        if (!hung) return;
        e.preventDefault();
        const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
        hung = { id: hung.id, over: d.id, behind: e.clientX > box.left + box.width / 2 };
    }

    function hang(e: DragEvent, d: DrawingInfo) {
        if (!hung) return;
        e.preventDefault();
        e.stopPropagation();
        const { id, behind } = hung;
        hung = null;
        if (id !== d.id) void shots.hang(id, d.id, behind);
    }

    function byKeys(e: KeyboardEvent, d: DrawingInfo) {
        const by = e.altKey ? { ArrowLeft: -1, ArrowRight: 1 }[e.key] : undefined;
        const to = by && drawings[drawings.indexOf(d) + by];
        if (!to) return;
        e.preventDefault();
        void shots.hang(d.id, to.id, by > 0);
    }

    /** A sheet as large as the one on the bench, else of a usual size. */
    async function bare() {
        const { width, height, dpi } = sheet.view ?? { width: 2400, height: 1800, dpi: 300 };
        const from = sheet.view?.lift ? sheet.view.info.id : null;
        const id = await shots.addBlank({ width, height, dpi });
        if (id === null) return;
        // It is drawn over the one it was made beside.
        const key = shots.shot?.drawings.find((d) => d.id === id)?.key;
        if (key && from !== null) underlay.prepare(key, from);
        go({ at: 'drawing', id, station: 'draw' });
    }
</script>

<footer class="relative flex h-[112px] shrink-0 items-end border-t border-base-300 bg-base-200 px-4 pb-2">
    <div class="pegs absolute inset-x-0 top-0 h-[15px] bg-base-300" aria-hidden="true"></div>
    <ul
        class="flex h-[90px] flex-1 items-end gap-2.5 overflow-x-auto overflow-y-hidden pb-1"
        aria-label="Drawings of the shot"
    >
        {#each drawings as d (d.id)}
            {@const here = d.id === sheet.view?.info.id}
            {@const onTable = lightTable.neighbours.find((n) => n.drawing.id === d.id)}
            <li
                class="relative shrink-0 {hung?.over === d.id
                    ? hung.behind
                        ? 'shadow-[6px_0_0_-2px_var(--color-secondary)]'
                        : 'shadow-[-6px_0_0_-2px_var(--color-secondary)]'
                    : ''}"
                draggable="true"
                ondragstart={(e) => take(e, d)}
                ondragover={(e) => over(e, d)}
                ondrop={(e) => hang(e, d)}
                ondragend={() => (hung = null)}
            >
                <button
                    type="button"
                    class="relative block h-[78px] w-[104px] cursor-pointer overflow-hidden rounded-[4px] border bg-[#fffdf7] {here
                        ? 'border-secondary outline-3 outline-secondary'
                        : 'border-base-300'}"
                    aria-current={here ? 'true' : undefined}
                    title="{d.name}: {words(d)}.{who(d)} Drag it, or Alt and the arrow keys, to hang it elsewhere."
                    onkeydown={(e) => byKeys(e, d)}
                    onclick={() => go({ at: 'drawing', id: d.id, station: bench.station })}
                >
                    <img
                        src={thumbnailUrl(d, pictured(d), colours.shownIn(d))}
                        alt=""
                        class="h-[58px] w-full object-contain"
                        draggable="false"
                    />
                    <b class="absolute bottom-0.5 left-1.5 max-w-[58px] truncate text-[12px] text-[#2a2822]">{d.name}</b
                    >
                    <span class="absolute right-1.5 bottom-[7px] flex gap-[3px]" aria-label={words(d)}>
                        {#each dots(d) as dot, i (i)}
                            <i
                                class="size-[6px] {dot === 'open' ? 'rotate-45' : 'rounded-full'}"
                                style:background={dot === 'done'
                                    ? '#2f5d50'
                                    : dot === 'open'
                                      ? '#cb4b36'
                                      : dot === 'carried'
                                        ? 'transparent'
                                        : '#d8cdb5'}
                                style:border={dot === 'carried' ? '2px solid #2f5d50' : undefined}
                            ></i>
                        {/each}
                    </span>
                    {#if d.hold > 1}<span
                            class="absolute top-0.5 right-1 rounded bg-[#fffdf7] px-1 text-[12px] text-[#2a2822]"
                            title="Held for {d.hold} frames">×{d.hold}</span
                        >{/if}
                    {#if people.on(d.id).length > 0}
                        <span class="absolute top-1 left-1 flex">
                            {#each people.on(d.id).slice(0, 3) as p (p.author)}
                                <Face name={p.name} colour={people.colourOf(p)} size={20} />
                            {/each}
                        </span>
                    {/if}
                    {#if play.drawing?.id === d.id}<span class="absolute inset-x-0 bottom-0 h-[4px] bg-secondary"
                        ></span>{/if}
                    {#if onTable}<span class="absolute inset-x-0 top-0 h-[4px]" style:background={TINTS[onTable.side]}
                        ></span>{/if}
                </button>
            </li>
        {/each}
        <li class="shrink-0">
            <div
                class="grid h-[78px] w-[104px] divide-y divide-dashed divide-[#a89d84] overflow-hidden rounded-[4px] border border-dashed border-[#a89d84] text-[12.5px]"
            >
                <button
                    type="button"
                    class="flex cursor-pointer items-center justify-center gap-1.5 hover:bg-base-100"
                    title="Scans, photos or vector art, one or many"
                    onclick={onbringin}><FileUp size={16} />Bring in</button
                >
                <button
                    type="button"
                    class="flex cursor-pointer items-center justify-center gap-1.5 hover:bg-base-100"
                    title="A new drawing to ink by hand, as large as this one"
                    onclick={bare}><FilePlus size={16} />Bare sheet</button
                >
            </div>
        </li>
    </ul>
    <div class="mb-1.5 grid shrink-0 gap-1 pl-4 text-[12.5px]">
        <button
            type="button"
            class="btn btn-xs justify-start {lightTable.settings.on ? 'btn-primary' : 'btn-ghost'}"
            aria-pressed={lightTable.settings.on}
            title="Neighbours faintly with the drawing (H). Hold O or P to flip to the one before or behind."
            onclick={() => lightTable.toggle()}><Layers2 size={14} />Light table</button
        >
        <button
            type="button"
            class="btn btn-xs justify-start {play.running ? 'btn-primary' : 'btn-ghost'}"
            aria-pressed={play.running}
            disabled={drawings.length < 2}
            title="Play the shot in this view (R)"
            onclick={() => (play.running ? play.stop() : void play.begin(sheet.view?.info.id))}
            ><Play size={14} />Play</button
        >
        {#if drawings.length > 0}<span class="px-2"><b>{ready} of {drawings.length}</b> ready</span>{/if}
    </div>
</footer>

<style>
    .pegs {
        background-image:
            radial-gradient(circle at 50% 50%, var(--color-base-100) 0 4.5px, transparent 5px),
            linear-gradient(var(--color-base-100), var(--color-base-100)),
            linear-gradient(var(--color-base-100), var(--color-base-100));
        background-repeat: no-repeat;
        background-size:
            12px 12px,
            44px 6px,
            44px 6px;
        background-position:
            50% 50%,
            calc(50% - 180px) 50%,
            calc(50% + 180px) 50%;
    }
</style>
