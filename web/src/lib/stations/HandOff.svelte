<script lang="ts">
    import Check from '@lucide/svelte/icons/check';
    import Download from '@lucide/svelte/icons/download';
    import TriangleAlert from '@lucide/svelte/icons/triangle-alert';
    import * as api from '../api';
    import { percent } from '../parts/units';
    import { bench } from '../state/bench.svelte';
    import { tell, tellError } from '../state/notices.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import type { Readiness } from '../types/Readiness';

    const FILES = [
        { name: 'ink.png', title: 'Ink', says: 'PNG, ink on transparency' },
        { name: 'paint.png', title: 'Paint', says: 'PNG, paint tucked under the lines' },
        { name: 'flat.png', title: 'Ink over paint', says: 'PNG, both as they look' },
        { name: 'drawing.svg', title: 'Vector drawing', says: 'SVG: paint, lines, bridges, seams as groups' },
        { name: 'lines.json', title: 'Lines', says: 'JSON: points with widths' },
    ];
    const view = $derived(sheet.view);
    let told = $state<Readiness | null>(null);
    let chosen = $state<string[]>(['ink.png', 'paint.png', 'drawing.svg']);
    let anyway = $state(false);
    let busy = $state(false);

    $effect(() => {
        const v = view;
        if (!v) return;
        anyway = false;
        api.readiness(v.info.id).then(
            (r) => (told = r),
            (e: unknown) => tellError(e),
        );
    });

    const tuck = $derived(view?.recipes.paint.tuck ?? 1);
    function setTuck(tuck: number) {
        if (view) void sheet.do({ of: 'settings', do: 'recipes', recipes: { ...view.recipes, paint: { tuck } } });
    }

    async function handOff() {
        if (!view) return;
        const { id, name, revision } = view.info;
        let files: { name: string; blob: Blob }[];
        busy = true;
        try {
            // All files are of the revision that is noted: if it was changed meanwhile, none goes out.
            files = await Promise.all(
                chosen.map(async (f) => ({ name: `${name}.${f}`, blob: await api.handOffFile(id, f, revision) })),
            );
            await api.markHandedOff(id, revision);
        } catch (e) {
            tellError(e);
            if (e instanceof api.Refused && e.status === 409) await sheet.open(id);
            return;
        } finally {
            busy = false;
        }
        for (const file of files) {
            const link = document.createElement('a');
            link.href = URL.createObjectURL(file.blob);
            link.download = file.name;
            link.click();
            await new Promise((r) => setTimeout(r, 150));
            URL.revokeObjectURL(link.href);
        }
        tell(`Handed off ${name}`, `${files.length} file${files.length === 1 ? '' : 's'} go to your downloads.`);
        await sheet.open(id);
        await shots.load();
    }
    const to = (reason: string) => (reason.includes('Paint') ? 'paint' : reason.includes('Join') ? 'join' : 'lift');
</script>

{#if view}
    <div class="min-h-0 flex-1 overflow-y-auto px-4 pt-3 pb-3">
        <h2 class="text-[17px] leading-tight">Hand off</h2>
        <p class="quiet text-[12.5px]">Nothing goes out unready without saying so.</p>
        {#if told?.ready}
            <p class="mt-3 flex gap-2 rounded-lg bg-primary/12 px-3 py-2 text-[13px]">
                <Check size={18} class="shrink-0 text-primary" />{view.info.name} is ready: every finding is settled.
            </p>
        {:else if told}
            <div class="mt-3 rounded-lg bg-secondary/20 px-3 py-2 text-[13px]">
                <b class="flex items-center gap-2"><TriangleAlert size={16} />Not ready yet</b>
                <ul class="mt-1 list-disc pl-5">
                    {#each told.reasons as r (r)}<li>
                            <button class="link text-left" onclick={() => bench.enter(to(r))}>{r}</button>
                        </li>{/each}
                </ul>
            </div>
        {/if}
        <fieldset class="mt-4">
            <legend class="mb-1 text-[13px] font-semibold">Files</legend>
            {#each FILES as f (f.name)}
                <label class="flex cursor-pointer items-start gap-3 border-t border-base-300 py-2 text-[13px]">
                    <input
                        type="checkbox"
                        class="checkbox checkbox-sm checkbox-primary mt-0.5"
                        value={f.name}
                        bind:group={chosen}
                    />
                    <span class="leading-tight">{f.title}<small class="quiet block text-[12px]">{f.says}</small></span>
                </label>
            {/each}
        </fieldset>
        <label
            class="mt-3 block text-[13px]"
            title="How far paint lies under the line: all the way to its middle, or by a share of that. Under soft edges it always lies."
            ><span class="flex justify-between"><span>Tuck</span><b>{percent(tuck)}</b></span>
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
    </div>
    <div class="border-t border-base-300 bg-base-200 px-4 py-3">
        {#if told && !told.ready}
            <label class="mb-2 flex cursor-pointer items-center gap-2 text-[13px]">
                <input type="checkbox" class="checkbox checkbox-sm" bind:checked={anyway} />Hand off anyway
            </label>
        {/if}
        <button
            class="btn btn-primary btn-sm"
            disabled={busy || !told || chosen.length === 0 || !view.traced || (!told.ready && !anyway)}
            onclick={handOff}
        >
            <Download size={15} />Hand off {chosen.length} file{chosen.length === 1 ? '' : 's'}
        </button>
        {#if view.info.handed_off}<p class="quiet mt-2 text-[12.5px]">Handed off as it is now.</p>{/if}
    </div>
{/if}
