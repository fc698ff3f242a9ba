<script lang="ts">
    import FilePlus from '@lucide/svelte/icons/file-plus';
    import FileUp from '@lucide/svelte/icons/file-up';
    import { thumbnailUrl } from '../api';
    import { colours } from '../state/colours.svelte';
    import { go } from '../state/route.svelte';
    import { bench } from '../state/bench.svelte';
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
            <li class="shrink-0">
                <button
                    type="button"
                    class="relative block h-[78px] w-[104px] cursor-pointer overflow-hidden rounded-[4px] border bg-[#fffdf7] {here
                        ? 'border-secondary outline-3 outline-secondary'
                        : 'border-base-300'}"
                    aria-current={here ? 'true' : undefined}
                    title="{d.name}: {words(d)}"
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
    <div class="mb-2 shrink-0 pl-4 text-right text-[12.5px] leading-5">
        <b>{ready} of {drawings.length} ready</b><br />
        <span class="quiet">{drawings.filter((d) => d.progress.lifted).length} lifted</span>
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
