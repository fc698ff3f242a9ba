<script lang="ts">
    import Check from '@lucide/svelte/icons/check';
    import Download from '@lucide/svelte/icons/download';
    import FileText from '@lucide/svelte/icons/file-text';
    import TriangleAlert from '@lucide/svelte/icons/triangle-alert';
    import * as api from '../api';
    import OutgoingDrawings from '../parts/OutgoingDrawings.svelte';
    import OutgoingPictures from '../parts/OutgoingPictures.svelte';
    import { percent } from '../parts/units';
    import { bench } from '../state/bench.svelte';
    import { outgo } from '../state/handOff.svelte';
    import { tellError } from '../state/notices.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import type { Format } from '../types/Format';
    import type { Outgoing } from '../types/Outgoing';
    import type { Readiness } from '../types/Readiness';

    const FILES: { format: Format; title: string; says: string }[] = [
        { format: 'ink_png', title: 'Ink', says: 'PNG, ink on transparency' },
        { format: 'paint_png', title: 'Paint', says: 'PNG, paint tucked under the lines' },
        { format: 'flat', title: 'Ink over paint', says: 'PNG, both as they look' },
        { format: 'layer_pngs', title: 'Each layer', says: 'PNG for every swatch and tone, ink, seams, notes' },
        { format: 'tiff', title: 'Layers in TIFF', says: 'a page for each, named' },
        { format: 'open_raster', title: 'Layers in OpenRaster', says: 'in groups, with a merged picture' },
        { format: 'svg', title: 'Vector drawing', says: 'SVG, comes back as the same lines' },
        { format: 'json', title: 'Everything but pixels', says: 'JSON: lines, paint, regions, notes' },
    ];
    const view = $derived(sheet.view);
    const all = $derived(shots.shot?.drawings ?? []);
    let told = $state<Readiness | null>(null);
    let anyway = $state(false);
    let busy = $state(false);
    const here = $derived(view?.info.id ?? 0);
    const listed = $derived(shots.listed(view?.info.id));
    /** Those of this shot that were picked, or the one that is looked at. */
    const inShot = $derived(outgo.picked?.filter((id) => all.some((d) => d.id === id)) ?? []);
    const chosen = $derived(inShot.length > 0 || outgo.picked?.length === 0 ? inShot : [here]);
    const unready = $derived(
        chosen.filter((id) => (id === here ? told && !told.ready : !all.find((d) => d.id === id)?.ready)),
    );
    /** The drawing that is looked at goes out as it is seen. */
    const outgoing = $derived<Outgoing[]>(
        chosen.map((id) => ({ id, revision: id === here ? (view?.info.revision ?? null) : null })),
    );

    $effect(() => {
        const v = view;
        if (!v) return;
        anyway = false;
        api.readiness(v.info.id).then(
            (r) => (told = r),
            (e: unknown) => tellError(e),
        );
    });

    const shot = $derived(shots.shot?.id ?? 0);
    $effect(() => {
        void [outgo.how.naming, outgo.how.formats, outgo.how.repeat_holds, outgoing];
        if (shot && view && chosen.length > 0) void outgo.ask(shot, outgoing);
    });

    const tuck = $derived(view?.recipes.paint.tuck ?? 1);
    function setTuck(tuck: number) {
        if (view) void sheet.do({ of: 'settings', do: 'recipes', recipes: { ...view.recipes, paint: { tuck } } });
    }

    async function run(what: () => Promise<void>) {
        busy = true;
        try {
            await what();
        } catch (e) {
            tellError(e);
            if (e instanceof api.Refused && e.status === 409) await sheet.open(here);
        } finally {
            busy = false;
        }
    }
    const handOff = () => run(() => outgo.begin(shot, outgoing, anyway));
    const report = () => run(() => outgo.report(shot, outgoing));
    const to = (reason: string) => (reason.includes('Paint') ? 'paint' : reason.includes('Join') ? 'join' : 'lift');
    const drawings = (n: number) => `${n} drawing${n === 1 ? '' : 's'}`;
    const waits = $derived(
        busy ||
            !told ||
            chosen.length === 0 ||
            outgo.how.formats.length === 0 ||
            outgo.wrong !== '' ||
            (unready.length > 0 && !anyway && unready.length === chosen.length),
    );
</script>

{#if view}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Hand off</h2>
        <p class="quiet text-[12.5px]">Nothing goes out unready without saying so.</p>
        {#if told?.ready}
            <p class="mt-2 flex gap-2 rounded-lg bg-primary/12 px-3 py-2 text-[13px]">
                <Check size={18} class="shrink-0 text-primary" />{view.info.name} is ready: every finding is settled.
            </p>
        {:else if told}
            <div class="mt-2 rounded-lg bg-secondary/20 px-3 py-2 text-[13px]">
                <b class="flex items-center gap-2"><TriangleAlert size={16} />Not ready yet</b>
                <ul class="mt-1 list-disc pl-5">
                    {#each told.reasons as r (r)}<li>
                            <button class="link text-left" onclick={() => bench.enter(to(r))}>{r}</button>
                        </li>{/each}
                </ul>
            </div>
        {/if}
        <OutgoingDrawings
            {all}
            {here}
            {chosen}
            onchoose={(ids) => (outgo.picked = ids.length === 1 && ids[0] === here ? null : ids)}
        />
        <fieldset class="mt-4">
            <legend class="mb-1 text-[13px] font-semibold">Files</legend>
            {#each FILES as f (f.format)}
                <label class="flex cursor-pointer items-start gap-3 border-t border-base-300 py-1.5 text-[13px]">
                    <input
                        type="checkbox"
                        class="checkbox checkbox-sm checkbox-primary mt-0.5"
                        checked={outgo.how.formats.includes(f.format)}
                        onchange={() => outgo.toggle(f.format)}
                    />
                    <span class="leading-tight">{f.title}<small class="quiet block text-[12px]">{f.says}</small></span>
                </label>
            {/each}
            <div class="flex gap-5 border-t border-base-300 py-1.5 text-[13px]">
                <label class="flex cursor-pointer items-center gap-2"
                    ><input
                        type="checkbox"
                        class="checkbox checkbox-sm checkbox-primary"
                        bind:checked={outgo.how.report}
                        onchange={() => outgo.keep()}
                    />Report</label
                >
                <label class="flex cursor-pointer items-center gap-2"
                    ><input
                        type="checkbox"
                        class="checkbox checkbox-sm checkbox-primary"
                        bind:checked={outgo.how.palette}
                        onchange={() => outgo.keep()}
                    />Colours (.gpl)</label
                >
            </div>
        </fieldset>
        <fieldset class="mt-3">
            <legend class="mb-1 text-[13px] font-semibold">Names</legend>
            <input
                class="input input-sm w-full font-mono text-[12.5px]"
                class:input-error={outgo.wrong !== ''}
                aria-label="Pattern of the names"
                title={'{production}, {shot}, {drawing}, {layer}, and {frame:4} for a number of four digits'}
                spellcheck="false"
                maxlength="120"
                bind:value={outgo.how.naming}
                onchange={() => outgo.keep()}
            />
            {#if outgo.wrong}
                <p class="mt-1 text-[12.5px] text-error" role="alert">{outgo.wrong}</p>
            {:else if outgo.names && outgo.names.all > 0}
                <p class="quiet mt-1 text-[12.5px] leading-snug" data-testid="names">
                    {#each outgo.names.names.slice(0, 3) as n (n)}<span class="block truncate" title={n}>{n}</span
                        >{/each}
                    {#if outgo.names.all > 3}and {outgo.names.all - 3} more{/if}
                </p>
            {/if}
            <label class="mt-1.5 flex cursor-pointer items-center gap-2 text-[13px]"
                ><input
                    type="checkbox"
                    class="checkbox checkbox-xs"
                    bind:checked={outgo.how.repeat_holds}
                    onchange={() => {
                        if (outgo.how.repeat_holds && !outgo.how.naming.includes('{frame'))
                            outgo.how.naming = '{shot}_{layer}.{frame:4}';
                        outgo.keep();
                    }}
                />a file for each frame of a hold</label
            >
            {#if outgo.names?.has_folder}
                <label class="mt-1.5 flex cursor-pointer items-center gap-2 text-[13px]"
                    ><input
                        type="checkbox"
                        class="checkbox checkbox-xs"
                        bind:checked={outgo.how.to_folder}
                        onchange={() => outgo.keep()}
                    />into the server’s folder, too</label
                >
            {/if}
        </fieldset>
        <fieldset class="mt-3">
            <legend class="mb-1 text-[13px] font-semibold">Pictures</legend>
            <OutgoingPictures />
            <label
                class="mt-3 block text-[13px]"
                title="How far paint lies under the line: all the way to its middle, or by a share of that. Under soft edges it always lies."
                ><span class="flex justify-between"><span>Tuck of {view.info.name}</span><b>{percent(tuck)}</b></span>
                <input
                    class="range range-primary range-xs mt-0.5 w-full"
                    type="range"
                    min="0"
                    max="1"
                    step="0.05"
                    value={tuck}
                    disabled={sheet.busy}
                    onchange={(e) => setTuck(e.currentTarget.valueAsNumber)}
                />
            </label>
        </fieldset>
    </div>
    <div class="border-t border-base-300 bg-base-200 px-4 py-3">
        {#if unready.length > 0}
            <label class="mb-2 flex cursor-pointer items-center gap-2 text-[13px]">
                <input type="checkbox" class="checkbox checkbox-sm" bind:checked={anyway} />Hand off anyway
                <span class="quiet">({unready.length} not ready)</span>
            </label>
        {/if}
        <div class="flex items-center gap-2">
            <button class="btn btn-primary btn-sm flex-1" disabled={waits} onclick={handOff}>
                Hand off {drawings(anyway ? chosen.length : chosen.length - unready.length || chosen.length)}
            </button>
            <button
                class="btn btn-outline btn-primary btn-sm"
                disabled={busy || chosen.length === 0}
                title="Only the readiness report of these drawings; nothing goes out"
                onclick={report}><FileText size={15} />Report</button
            >
        </div>
        {#if outgo.current}
            {@const job = outgo.current}
            <div class="mt-2 text-[13px]" data-testid="outgoing">
                {#if job.state === 'running'}
                    <span class="quiet">{Math.max(0, job.done)} of {job.all} done …</span>
                {:else if job.files > 0}
                    <a class="btn btn-sm btn-outline w-full" href={api.jobZip(job.id)} download
                        ><Download size={15} />{job.files} file{job.files === 1 ? '' : 's'} in one ZIP</a
                    >
                {:else}
                    <span class="text-error">Nothing went out{job.told[0] ? `: ${job.told[0]}` : ''}</span>
                {/if}
            </div>
        {/if}
        {#if listed?.handed_off}<p class="quiet mt-2 text-[12.5px]">{view.info.name} went out as it is now.</p>
        {:else if listed?.changed_since}<p class="mt-2 text-[12.5px]">
                <b>{view.info.name} was changed since it went out.</b>
            </p>{/if}
    </div>
{/if}
