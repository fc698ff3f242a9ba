<script lang="ts">
    import FileUp from '@lucide/svelte/icons/file-up';
    import Plus from '@lucide/svelte/icons/plus';
    import { addProduction, addShot, setHold, thumbnailUrl } from './api';
    import { colours } from './state/colours.svelte';
    import { go } from './state/route.svelte';
    import type { Station } from './state/bench.svelte';
    import { outgo } from './state/handOff.svelte';
    import { tellError } from './state/notices.svelte';
    import { shots } from './state/shots.svelte';
    import type { DrawingInfo } from './types/DrawingInfo';
    import type { ShotInfo } from './types/ShotInfo';

    interface Props {
        onbringin: () => void;
    }
    const { onbringin }: Props = $props();
    const shot = $derived(shots.shot);
    const ready = $derived(shot?.drawings.filter((d) => d.ready).length ?? 0);
    const open = $derived(shot?.drawings.reduce((n, d) => n + d.progress.join_open + d.progress.paint_open, 0) ?? 0);
    const carried = $derived({
        drawings: shot?.drawings.filter((d) => d.progress.carried > 0).length ?? 0,
        doubtful: shot?.drawings.reduce((n, d) => n + d.progress.doubtful, 0) ?? 0,
    });
    let adding = $state(false);
    let number = $state('');
    let name = $state('');

    const share = (s: ShotInfo) =>
        s.drawings.length === 0
            ? '–'
            : `${Math.round((s.drawings.filter((d) => d.ready).length / s.drawings.length) * 100)} %`;

    function next(d: DrawingInfo): { says: string; at: Station } {
        const p = d.progress;
        if (!p.lifted) return { says: 'waits for Lift', at: 'lift' };
        if (p.join_open > 0) return { says: `${p.join_open} to settle at Join`, at: 'join' };
        if (p.doubtful > 0) return { says: `${p.doubtful} doubtful of ${p.carried} carried`, at: 'paint' };
        if (p.paint_open > 0) return { says: `${p.paint_open} to settle at Paint`, at: 'paint' };
        const says = d.handed_off ? 'handed off' : d.changed_since ? 'changed since it went out' : 'ready to hand off';
        return { says, at: 'hand-off' };
    }

    function cells(d: DrawingInfo): { at: Station; name: string; state: 'done' | 'open' | 'none'; n: number }[] {
        const p = d.progress;
        const state = (n: number) => (!p.lifted ? ('none' as const) : n > 0 ? ('open' as const) : ('done' as const));
        return [
            { at: 'lift', name: 'Lift', state: p.lifted ? 'done' : 'none', n: 0 },
            { at: 'join', name: 'Join', state: state(p.join_open), n: p.join_open },
            { at: 'paint', name: 'Paint', state: state(p.paint_open), n: p.paint_open },
            { at: 'hand-off', name: 'Hand off', state: d.handed_off ? 'done' : 'none', n: 0 },
        ];
    }

    const frames = $derived(shot?.drawings.reduce((n, d) => n + d.hold, 0) ?? 0);

    async function hold(d: DrawingInfo, field: HTMLInputElement) {
        const frames = Math.round(field.valueAsNumber);
        try {
            if (Number.isFinite(frames)) await setHold(d.id, frames);
            await shots.load();
        } catch (error) {
            tellError(error);
        }
        field.value = String(shots.shot?.drawings.find((o) => o.id === d.id)?.hold ?? d.hold);
    }

    /** The whole shot goes out: its first drawing shows where. */
    function handOff() {
        const first = shot?.drawings[0];
        if (!shot || !first) return;
        outgo.picked = shot.drawings.map((d) => d.id);
        go({ at: 'drawing', id: first.id, station: 'hand-off' });
    }

    async function add(e: SubmitEvent) {
        e.preventDefault();
        try {
            const production = shots.production?.id ?? (await addProduction('My production'));
            const id = await addShot(production, number.trim(), name.trim());
            await shots.load();
            shots.look(id);
            adding = false;
            number = name = '';
        } catch (error) {
            tellError(error);
        }
    }
</script>

<div class="grid h-full grid-cols-[264px_1fr] grid-rows-[58px_1fr]">
    <header class="col-span-2 flex items-center gap-4 border-b border-base-300 px-4">
        <span class="font-head text-[21px] font-semibold tracking-tight text-primary">Rhizograph</span>
        <span class="text-[13px]">{shots.production?.name ?? ''}</span>
        <span class="flex-1"></span>
        <button class="btn btn-sm btn-outline btn-primary" onclick={() => (adding = !adding)}
            ><Plus size={15} />New shot</button
        >
        <button class="btn btn-sm btn-primary" disabled={!shot} onclick={onbringin}
            ><FileUp size={15} />Bring in drawings</button
        >
    </header>
    <nav class="overflow-y-auto border-r border-base-300 bg-base-200" aria-label="Shots">
        <h2 class="px-4 pt-4 pb-2 text-[17px]">Shots</h2>
        {#each shots.all as s (s.id)}
            <button
                class="flex w-full cursor-pointer items-center justify-between border-t border-base-300 px-4 py-2 text-left {s.id ===
                shot?.id
                    ? 'bg-base-100 shadow-[inset_4px_0_0_var(--color-secondary)]'
                    : ''}"
                aria-current={s.id === shot?.id ? 'true' : undefined}
                onclick={() => shots.look(s.id)}
            >
                <span class="leading-tight"
                    ><b>{s.number}</b>
                    {s.name}<small class="quiet block text-[12px]"
                        >{s.drawings.length === 0
                            ? 'empty'
                            : `${s.drawings.length} drawing${s.drawings.length === 1 ? '' : 's'} · ${s.drawings.filter((d) => d.ready).length} ready`}</small
                    ></span
                ><b class="text-[13px]">{share(s)}</b>
            </button>
        {/each}
        {#if adding}
            <form class="grid gap-2 border-t border-base-300 p-4" onsubmit={add}>
                <!-- svelte-ignore a11y_autofocus -->
                <input
                    class="input input-sm w-full"
                    placeholder="Number, 014"
                    required
                    maxlength="20"
                    autofocus
                    bind:value={number}
                />
                <input class="input input-sm w-full" placeholder="Name" required maxlength="60" bind:value={name} />
                <button class="btn btn-primary btn-sm">Add the shot</button>
            </form>
        {/if}
    </nav>
    <main class="overflow-y-auto px-7 py-5">
        {#if shot}
            <div class="flex flex-wrap items-baseline gap-x-4">
                <h1 class="text-[26px]">{shot.name}</h1>
                <span class="quiet"
                    >shot {shot.number} · {shot.drawings.length} drawing{shot.drawings.length === 1 ? '' : 's'}</span
                >
            </div>
            {#if shot.drawings.length === 0}
                <button
                    class="mt-6 grid w-full cursor-pointer place-items-center gap-2 rounded-xl border-2 border-dashed border-base-300 py-16 hover:bg-base-200"
                    onclick={onbringin}
                >
                    <FileUp size={28} />
                    <b>Bring in drawings</b>
                    <span class="quiet"
                        >Drop PNG, JPEG, TIFF or SVG files anywhere, or click for files, sheet feeder and camera.</span
                    >
                </button>
            {:else}
                <div class="mt-3 mb-3 flex items-center gap-2.5 text-[13px]">
                    <span class="pill"><b>{ready}</b> ready</span>
                    <span class="pill"><b>{open}</b> finding{open === 1 ? '' : 's'} open</span>
                    <span class="pill"
                        ><b>{shot.drawings.filter((d) => !d.progress.lifted).length}</b> not lifted yet</span
                    >
                    <span class="pill"><b>{frames}</b> frame{frames === 1 ? '' : 's'}</span>
                    {#if carried.drawings > 0}
                        <span class="pill"
                            ><b>{carried.drawings}</b> painted by carrying, <b>{carried.doubtful}</b> doubtful</span
                        >
                    {/if}
                    <span class="flex-1"></span>
                    <button
                        class="btn btn-outline btn-primary btn-sm"
                        title="Goes to Hand off with all drawings of the shot"
                        onclick={handOff}
                        >Hand off {shot.drawings.length} drawing{shot.drawings.length === 1 ? '' : 's'}</button
                    >
                </div>
                <table class="w-full border-collapse text-[13px]">
                    <thead>
                        <tr class="quiet border-b border-base-300 text-[12.5px]">
                            <th class="px-3 py-1.5 text-left">Drawing</th>
                            {#each ['Lift', 'Join', 'Paint', 'Hand off'] as h (h)}<th class="px-3 py-1.5">{h}</th
                                >{/each}
                            <th class="px-3 py-1.5" title="For how many frames the drawing is seen">Frames</th>
                            <th class="px-3 py-1.5 text-left">What is next</th>
                        </tr>
                    </thead>
                    <tbody>
                        {#each shot.drawings as d (d.id)}
                            {@const n = next(d)}
                            <tr class="border-b border-base-300 hover:bg-base-200">
                                <td class="px-3 py-1">
                                    <button
                                        class="flex cursor-pointer items-center gap-3"
                                        onclick={() => go({ at: 'drawing', id: d.id, station: n.at })}
                                    >
                                        <img
                                            class="h-[44px] w-[60px] rounded-[3px] border border-base-300 bg-[#fffdf7] object-contain"
                                            src={thumbnailUrl(d, d.revision, colours.shownIn(d))}
                                            alt=""
                                        />
                                        <b>{d.name}</b>
                                    </button>
                                </td>
                                {#each cells(d) as c (c.at)}
                                    <td class="px-3 text-center">
                                        <button
                                            class="cursor-pointer p-1 align-middle"
                                            aria-label="{d.name} at {c.name}: {c.state === 'done'
                                                ? 'done'
                                                : c.state === 'open'
                                                  ? `${c.n} open`
                                                  : 'not begun'}"
                                            onclick={() => go({ at: 'drawing', id: d.id, station: c.at })}
                                        >
                                            {#if c.state === 'open'}
                                                <span
                                                    class="inline-grid h-[22px] min-w-[22px] place-items-center rounded-full bg-secondary px-1 text-[12px] font-bold text-secondary-content"
                                                    >{c.n}</span
                                                >
                                            {:else if c.at === 'paint' && d.progress.carried > 0}
                                                <span
                                                    class="inline-block size-[16px] rounded-full border-[5px] border-primary align-middle"
                                                    title="{d.progress.carried} of {d.progress.painted} regions carried"
                                                ></span>
                                            {:else}
                                                <span
                                                    class="inline-block size-[16px] rounded-full border-2 align-middle {c.state ===
                                                    'done'
                                                        ? 'border-primary bg-primary'
                                                        : 'border-base-300'}"
                                                ></span>
                                            {/if}
                                        </button>
                                    </td>
                                {/each}
                                <td class="px-3 text-center">
                                    <input
                                        class="w-[52px] rounded border border-transparent bg-transparent px-1 py-0.5 text-center tabular-nums hover:border-base-300 focus:border-primary"
                                        type="number"
                                        min="1"
                                        max="9999"
                                        aria-label="Frames of {d.name}"
                                        value={d.hold}
                                        onchange={(e) => void hold(d, e.currentTarget)}
                                    />
                                </td>
                                <td class="px-3"
                                    ><button
                                        class="link-hover cursor-pointer"
                                        onclick={() => go({ at: 'drawing', id: d.id, station: n.at })}>{n.says}</button
                                    ></td
                                >
                            </tr>
                        {/each}
                    </tbody>
                </table>
            {/if}
        {:else if shots.loaded}
            <h1 class="text-[26px]">Nothing here yet</h1>
            <p class="quiet mt-2">Add a shot, then bring in its drawings.</p>
        {/if}
    </main>
</div>
