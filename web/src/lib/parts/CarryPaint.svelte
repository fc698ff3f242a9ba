<script lang="ts">
    import ChevronUp from '@lucide/svelte/icons/chevron-up';
    import { carry } from '../api';
    import { jobs } from '../state/jobs.svelte';
    import { tellError } from '../state/notices.svelte';
    import { go } from '../state/route.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import type { CarryTo } from '../types/CarryTo';
    import type { DrawingInfo } from '../types/DrawingInfo';

    const view = $derived(sheet.view);
    const all = $derived(shots.shot?.drawings ?? []);
    const here = $derived(all.findIndex((d) => d.id === view?.info.id));
    const behind = $derived(here < 0 ? [] : all.slice(here + 1));
    const before = $derived(here < 0 ? [] : all.slice(0, here));
    const painted = $derived((view?.info.progress.painted ?? 0) > 0);
    const isByHand = (d: DrawingInfo) => d.progress.painted > d.progress.carried;
    const between = $derived(behind.findIndex(isByHand));
    let carrying = $state(false);
    const waits = $derived(!painted || carrying || jobs.running);

    /** All that can be painted from here, besides the next one. */
    const ways = $derived.by(() => {
        const list: { to: CarryTo; name: string }[] = [];
        const [first, last] = [behind[0], behind[behind.length - 1]];
        if (first && last && behind.length > 1) list.push({ to: 'after', name: `${first.name} to ${last.name}` });
        const until = behind[between - 1];
        if (first && until) list.push({ to: 'between', name: `${first.name} to ${until.name}, from both sides` });
        const [start, end] = [before[before.length - 1], before[0]];
        if (start) list.push({ to: 'previous', name: start.name });
        if (start && end && before.length > 1) list.push({ to: 'before', name: `${start.name} back to ${end.name}` });
        return list;
    });

    async function paint(to: CarryTo) {
        if (!view || carrying) return;
        (document.activeElement as HTMLElement | null)?.blur();
        carrying = true;
        try {
            const told = await carry(view.info.id, to);
            if (told.told === 'painted') {
                await shots.load();
                go({ at: 'drawing', id: told.drawing, station: 'paint' });
            } else if (shots.shot) await jobs.load(shots.shot.id);
        } catch (e) {
            tellError(e);
        } finally {
            carrying = false;
        }
    }
</script>

{#if view && all.length > 1}
    <div class="flex items-center gap-2 border-t border-base-300 bg-base-100 px-4 py-2">
        {#if behind[0]}
            {@const next = behind[0]}
            <button
                class="btn btn-primary btn-sm flex-1"
                disabled={!painted || carrying || sheet.busy}
                title={painted
                    ? 'Paints the next drawing as this one is, and goes there. What is painted by hand stays.'
                    : 'Paint this drawing first'}
                onclick={() => paint('next')}>{carrying ? 'Painting …' : `Paint ${next.name} like this`}</button
            >
        {:else}
            <span class="quiet flex-1 text-[12.5px]">The last drawing of the shot</span>
        {/if}
        {#if ways.length > 0}
            <details class="dropdown dropdown-top dropdown-end">
                <summary
                    class="btn btn-outline btn-primary btn-sm"
                    class:btn-disabled={waits}
                    aria-disabled={waits}
                    onclick={(e) => waits && e.preventDefault()}>More<ChevronUp size={14} /></summary
                >
                <ul
                    class="menu dropdown-content z-20 mb-1 w-64 rounded-lg border border-base-300 bg-base-100 p-1 shadow"
                >
                    {#each ways as way (way.to)}
                        <li>
                            <button
                                onclick={(e) => {
                                    e.currentTarget.closest('details')?.removeAttribute('open');
                                    void paint(way.to);
                                }}>Paint {way.name}</button
                            >
                        </li>
                    {/each}
                </ul>
            </details>
        {/if}
    </div>
{/if}
