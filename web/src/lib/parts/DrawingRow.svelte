<script lang="ts">
    import Ellipsis from '@lucide/svelte/icons/ellipsis';
    import { duplicate, renameDrawings, setHold, thumbnailUrl } from '../api';
    import type { Station } from '../state/bench.svelte';
    import { colours } from '../state/colours.svelte';
    import { AT_JOIN } from '../state/findings.svelte';
    import { people } from '../state/people.svelte';
    import { go } from '../state/route.svelte';
    import { shots } from '../state/shots.svelte';
    import { ago } from '../state/table.svelte';
    import type { DrawingInfo } from '../types/DrawingInfo';
    import type { Kind } from '../types/Kind';
    import Face from './Face.svelte';
    import KindCounts from './KindCounts.svelte';

    interface Props {
        d: DrawingInfo;
        /** It can be moved: the table is in the order of the shot. */
        inOrder: boolean;
    }
    const { d, inOrder }: Props = $props();
    const p = $derived(d.progress);
    let naming = $state(false);
    let menu = $state<HTMLDetailsElement>();
    let scan = $state<HTMLInputElement>();
    const here = $derived(people.on(d.id));
    const by = $derived(people.called(d.changed_by));

    const next = $derived.by((): { says: string; at: Station } => {
        if (!p.lifted) return { says: 'waits for Lift', at: 'lift' };
        if (p.join_open > 0) return { says: `${p.join_open} to settle at Join`, at: 'join' };
        if (p.doubtful > 0) return { says: `${p.doubtful} doubtful of ${p.carried} carried`, at: 'paint' };
        if (p.paint_open > 0) return { says: `${p.paint_open} to settle at Paint`, at: 'paint' };
        const says = d.handed_off ? 'handed off' : d.changed_since ? 'changed since it went out' : 'ready to hand off';
        return { says, at: 'hand-off' };
    });
    const counts = (atJoin: boolean) =>
        (Object.entries(p.open) as [Kind, number][])
            .filter(([kind]) => AT_JOIN.includes(kind) === atJoin)
            .sort((a, b) => b[1] - a[1]);
    const cells = $derived([
        { at: 'lift', name: 'Lift', done: p.lifted, open: 0, counts: [] },
        { at: 'join', name: 'Join', done: p.lifted, open: p.join_open, counts: counts(true) },
        { at: 'paint', name: 'Paint', done: p.lifted, open: p.paint_open, counts: counts(false) },
        { at: 'hand-off', name: 'Hand off', done: d.handed_off, open: 0, counts: [] },
    ] as const);

    async function hold(field: HTMLInputElement) {
        const typed = field.value;
        const frames = Math.round(field.valueAsNumber);
        if (Number.isFinite(frames)) await shots.arrange(setHold(d.id, frames));
        // What is typed meanwhile stays.
        if (field.value === typed) field.value = String(shots.listed(d.id)?.hold ?? d.hold);
    }

    async function rename(field: HTMLInputElement) {
        if (!naming) return;
        naming = false;
        const { shot } = shots;
        const name = field.value.trim();
        if (shot && name && name !== d.name) await shots.arrange(renameDrawings(shot.id, [{ id: d.id, name }]));
    }

    function act(what: () => unknown) {
        if (menu) menu.open = false;
        what();
    }

    function move(by: 1 | -1) {
        const list = shots.shot?.drawings ?? [];
        const to = list[list.findIndex((o) => o.id === d.id) + by];
        if (to) void shots.hang(d.id, to.id, by > 0);
    }
    const open = (at: Station) => go({ at: 'drawing', id: d.id, station: at });
</script>

<svelte:window
    onpointerdown={(e) => {
        if (menu?.open && !menu.contains(e.target as Node)) menu.open = false;
    }}
/>

<tr class="border-b border-base-300 hover:bg-base-200" data-testid="row">
    <td class="py-1 pr-2 pl-3">
        <span class="flex items-center gap-3">
            <button class="cursor-pointer" aria-label="Open {d.name}" onclick={() => open(next.at)}>
                <img
                    class="h-[44px] w-[60px] rounded-[3px] border border-base-300 bg-[#fffdf7] object-contain"
                    src={thumbnailUrl(d, d.revision, colours.shownIn(d))}
                    alt=""
                />
            </button>
            {#if naming}
                <!-- svelte-ignore a11y_autofocus -->
                <input
                    class="input input-sm w-[120px]"
                    aria-label="Name of {d.name}"
                    maxlength="80"
                    autofocus
                    value={d.name}
                    onblur={(e) => void rename(e.currentTarget)}
                    onkeydown={(e) => {
                        if (e.key === 'Enter') e.currentTarget.blur();
                        if (e.key === 'Escape') naming = false;
                    }}
                />
            {:else}
                <button
                    class="max-w-[150px] cursor-pointer truncate"
                    title="Open {d.name}"
                    onclick={() => open(next.at)}><b>{d.name}</b></button
                >
            {/if}
        </span>
    </td>
    {#each cells as c (c.at)}
        <td class="px-1 text-center">
            <button
                class="inline-flex h-7 cursor-pointer items-center justify-center p-1 align-middle"
                aria-label="{d.name} at {c.name}: {c.open > 0 ? `${c.open} open` : c.done ? 'done' : 'not begun'}"
                onclick={() => open(c.at)}
            >
                {#if c.open > 0}
                    <KindCounts counts={c.counts} />
                {:else if c.at === 'paint' && p.carried > 0}
                    <span
                        class="inline-block size-[16px] rounded-full border-[5px] border-primary align-middle"
                        title="{p.carried} of {p.painted} regions carried"
                    ></span>
                {:else}
                    <span
                        class="inline-block size-[16px] rounded-full border-2 align-middle {c.done
                            ? 'border-primary bg-primary'
                            : 'border-base-300'}"
                    ></span>
                {/if}
            </button>
        </td>
    {/each}
    <td class="px-1 text-center">
        <input
            class="w-[52px] rounded border border-transparent bg-transparent px-1 py-0.5 text-center tabular-nums hover:border-base-300 focus:border-primary"
            type="number"
            min="1"
            max="9999"
            aria-label="Frames of {d.name}"
            value={d.hold}
            onchange={(e) => void hold(e.currentTarget)}
        />
    </td>
    <td class="px-2">
        <span class="flex items-center gap-2">
            {#each here.slice(0, 3) as who (who.author)}
                <span class="-mr-3" title="{people.nameOf(who)} is on it"
                    ><Face name={who.name} colour={people.colourOf(who)} size={24} /></span
                >
            {/each}
            <span class="quiet leading-tight {here.length > 0 ? 'ml-2' : ''}"
                >{ago(d.changed_at)}{#if by}<br />by {by}{/if}</span
            >
        </span>
    </td>
    <td class="px-2"
        ><button class="link-hover cursor-pointer text-left" onclick={() => open(next.at)}>{next.says}</button></td
    >
    <td class="pr-2 text-right">
        <input
            bind:this={scan}
            type="file"
            class="hidden"
            accept=".png,.jpg,.jpeg,.tif,.tiff,.svg"
            data-testid="scan"
            onchange={() => {
                const file = scan?.files?.[0];
                if (file) void shots.rescan(d, file);
            }}
        />
        <details class="dropdown dropdown-end" bind:this={menu}>
            <summary class="btn btn-ghost btn-xs btn-square list-none" aria-label="More of {d.name}"
                ><Ellipsis size={16} /></summary
            >
            <ul
                class="menu dropdown-content z-30 w-[190px] rounded-xl bg-base-100 text-[13px] shadow-xl ring-1 ring-base-300"
            >
                <li><button onclick={() => act(() => (naming = true))}>Name it anew</button></li>
                {#if inOrder}
                    <li><button onclick={() => act(() => move(-1))}>Hang it one place up</button></li>
                    <li><button onclick={() => act(() => move(1))}>Hang it one place down</button></li>
                {/if}
                <li>
                    <button onclick={() => act(() => void shots.arrange(duplicate(d.id, `${d.name} copy`)))}
                        >Duplicate</button
                    >
                </li>
                <li><button onclick={() => act(() => scan?.click())}>Replace by a new scan</button></li>
                <li><button onclick={() => act(() => void shots.takeOut(d))}>Take out</button></li>
            </ul>
        </details>
    </td>
</tr>
