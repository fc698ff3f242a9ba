<script lang="ts">
    import Pencil from '@lucide/svelte/icons/pencil';
    import { bench } from '../state/bench.svelte';
    import { colours } from '../state/colours.svelte';
    import type { Swatch } from '../types/Swatch';
    import { hex } from './units';

    /** The swatch that is dragged, and before which it would land. */
    let dragged = $state<string | null>(null);
    let over = $state<string | null>(null);
    const isTone = $derived((s: Swatch) => colours.tone !== null && !!s.tones[colours.tone]);
    const number = (s: Swatch) => {
        const n = colours.listed.indexOf(s) + 1;
        return n <= 9 ? n : null;
    };

    function land(before: string | null, group: string) {
        if (dragged) void colours.move(dragged, before, group);
        dragged = over = null;
    }
    function take(s: Swatch) {
        colours.takeSwatch(s.id);
        bench.tool = 'fill';
        if (colours.edited) colours.edited = s.id;
    }
</script>

<ul class="min-h-0 flex-1 overflow-y-auto border-t border-base-300" aria-label="Swatches">
    {#each colours.groups as g (g.name)}
        {#if g.name || colours.groups.length > 1}
            <li
                class="quiet px-4 pt-1.5 pb-0.5 text-[12px] font-semibold tracking-wide"
                ondragover={(e) => dragged && e.preventDefault()}
                ondrop={() => land(null, g.name)}
            >
                {g.name || 'No group'}
            </li>
        {/if}
        {#each g.list as s (s.id)}
            {@const here = s.id === colours.current?.id}
            <li
                class="group grid grid-cols-[38px_1fr_auto_24px] items-center gap-2 py-[3px] pr-2 pl-4 text-[13px] {here
                    ? 'bg-base-200 shadow-[inset_4px_0_0_var(--color-secondary)]'
                    : ''} {over === s.id ? 'shadow-[inset_0_2px_0_var(--color-primary)]' : ''}"
                draggable="true"
                ondragstart={() => (dragged = s.id)}
                ondragend={() => (dragged = over = null)}
                ondragover={(e) => {
                    if (!dragged) return;
                    e.preventDefault();
                    over = s.id;
                }}
                ondrop={() => land(s.id, g.name)}
            >
                <span class="flex h-6 w-[38px] overflow-hidden rounded-md border border-black/20" aria-hidden="true">
                    <i class="flex-[2]" style:background={hex(s.colour)}></i>
                    {#each colours.tones as t (t.id)}
                        {#if s.tones[t.id]}<i class="flex-1" style:background={hex(s.tones[t.id] ?? s.colour)}></i>{/if}
                    {/each}
                </span>
                <button
                    class="cursor-pointer truncate py-0.5 text-left {here ? 'font-semibold' : ''} {colours.tone !==
                        null && !isTone(s)
                        ? 'opacity-60'
                        : ''}"
                    aria-pressed={here}
                    title={s.note || undefined}
                    onclick={() => take(s)}>{s.name}</button
                >
                <span class="quiet text-[12px] tabular-nums"
                    >{#if colours.inShot[s.id] === 1}<b
                            class="mr-1.5 text-accent"
                            title="One region of the whole shot has it: is it meant?">once</b
                        >{/if}{colours.used[s.id] ?? 0}{#if number(s)}<kbd
                            class="key ml-1.5 hidden group-hover:inline-block">⇧{number(s)}</kbd
                        >{/if}</span
                >
                <button
                    class="cursor-pointer rounded p-1 opacity-45 hover:bg-base-300 hover:opacity-100 focus-visible:opacity-100"
                    aria-label="Change {s.name}"
                    title="Colour, tones, name, where it is used"
                    onclick={() => (colours.edited = colours.edited === s.id ? null : s.id)}
                    ><Pencil size={13} /></button
                >
            </li>
        {/each}
    {:else}
        <li class="quiet px-4 py-3 text-[13px]">No swatches yet. Add the first one to fill with.</li>
    {/each}
</ul>
