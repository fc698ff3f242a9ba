<script lang="ts">
    import X from '@lucide/svelte/icons/x';
    import { colours } from '../state/colours.svelte';
    import { tellError } from '../state/notices.svelte';
    import { toned } from '../state/paint';
    import { reference } from '../state/reference.svelte';
    import { shots } from '../state/shots.svelte';
    import type { Swatch } from '../types/Swatch';
    import { proposedTone, type Rgb } from './oklch';
    import OklchPicker from './OklchPicker.svelte';
    import { hex } from './units';

    const { swatch }: { swatch: Swatch } = $props();
    let tone = $state<string | null>(null);
    const shown = $derived<Rgb>(
        shots.trying?.paint === toned(swatch.id, tone)
            ? shots.trying.colour
            : tone === null
              ? swatch.colour
              : (swatch.tones[tone] ?? swatch.colour),
    );
    /** Of each drawing that has it, how many regions and lines. */
    const uses = $derived(
        (shots.shot?.drawings ?? []).flatMap((d) => {
            const used = d.progress.used[swatch.id];
            return used ? [{ drawing: d.id, name: d.name, regions: used[0], lines: used[1] }] : [];
        }),
    );
    let by = $state('');

    function pick(which: string | null) {
        tone = which;
        if (which !== null && !swatch.tones[which]) {
            const name = colours.tones.find((t) => t.id === which)?.name ?? which;
            void colours.recolour(swatch.id, which, proposedTone(swatch.colour, name));
        }
    }
    async function set(colour: Rgb) {
        await colours.recolour(swatch.id, tone, colour);
        shots.trying = null;
    }
    $effect(() => {
        // What is picked from the reference picture is set here.
        const picked = reference.picked;
        if (!picked) return;
        reference.picked = null;
        void set(picked);
    });
    const many = (u: { regions: number; lines: number }) =>
        [
            u.regions && `${u.regions} region${u.regions === 1 ? '' : 's'}`,
            u.lines && `${u.lines} line${u.lines === 1 ? '' : 's'}`,
        ]
            .filter(Boolean)
            .join(', ');
    const groups = $derived([...new Set(colours.swatches.map((s) => s.group).filter(Boolean))]);
    const others = $derived(colours.listed.filter((s) => s.id !== swatch.id));
    function replace() {
        colours.replaceBy(swatch.id, by || null).catch(tellError);
    }
</script>

<section
    class="min-h-0 flex-1 overflow-y-auto border-t border-base-300 bg-base-200 px-4 pt-2.5 pb-3"
    aria-label="Swatch"
>
    <div class="flex items-center gap-2">
        <input
            class="input input-sm flex-1 font-semibold"
            aria-label="Name of the swatch"
            maxlength="60"
            value={swatch.name}
            onchange={(e) => {
                const name = e.currentTarget.value.trim();
                if (name) void colours.change(swatch.id, { name });
                else e.currentTarget.value = swatch.name;
            }}
        />
        <button
            class="btn btn-ghost btn-sm btn-square"
            aria-label="Close"
            title="Back to the findings"
            onclick={() => (colours.edited = null)}><X size={16} /></button
        >
    </div>
    <div class="my-2 flex flex-wrap gap-1.5" role="group" aria-label="Tones of the swatch">
        {#each [{ id: null, name: 'Base' }, ...colours.tones] as t (t.id)}
            {@const own = t.id === null ? swatch.colour : swatch.tones[t.id]}
            <button
                class="flex cursor-pointer items-center gap-1.5 rounded-full border px-2 py-0.5 text-[12.5px] {tone ===
                t.id
                    ? 'border-primary bg-base-100 font-semibold'
                    : 'border-base-300'}"
                aria-pressed={tone === t.id}
                title={own ? '' : 'Not set yet: a proposal is made from the base'}
                onclick={() => pick(t.id)}
                ><i
                    class="size-3.5 rounded-full {own
                        ? 'border border-black/25'
                        : 'border border-dashed border-base-content/60'}"
                    style:background={own ? hex(own) : 'transparent'}
                ></i>{t.name}</button
            >
        {/each}
    </div>
    <OklchPicker
        colour={shown}
        ontry={(colour) => (shots.trying = { paint: toned(swatch.id, tone), colour })}
        onset={set}
    />
    {#if tone !== null && swatch.tones[tone]}
        <button
            class="link mt-1.5 text-[12.5px]"
            onclick={() => {
                const was = tone;
                tone = null;
                if (was !== null) void colours.dropTone(swatch.id, was);
            }}>Take this tone out: what has it takes the base</button
        >
    {/if}
    <div class="mt-2 grid grid-cols-[56px_1fr] items-center gap-x-2 gap-y-1.5 text-[13px]">
        <label for="swatch-group">Group</label>
        <input
            id="swatch-group"
            class="input input-xs w-full"
            list="groups"
            maxlength="60"
            value={swatch.group}
            placeholder="none"
            onchange={(e) => colours.move(swatch.id, null, e.currentTarget.value.trim())}
        />
        <datalist id="groups"
            >{#each groups as g (g)}<option value={g}></option>{/each}</datalist
        >
        <label for="swatch-note">Note</label>
        <input
            id="swatch-note"
            class="input input-xs w-full"
            maxlength="400"
            value={swatch.note}
            placeholder="wet, at night, …"
            onchange={(e) => colours.change(swatch.id, { note: e.currentTarget.value.trim() })}
        />
    </div>
    <div class="mt-2.5 border-t border-base-300 pt-2 text-[12.5px]">
        {#if uses.length === 0}
            <p class="quiet mb-1.5">No drawing of the shot uses it.</p>
            <button class="btn btn-xs btn-error" onclick={replace}>Delete</button>
        {:else}
            <p class="mb-1 font-semibold">Used in {uses.length} drawing{uses.length === 1 ? '' : 's'}</p>
            <ul class="quiet mb-2 max-h-16 overflow-y-auto">
                {#each uses as u (u.drawing)}<li>{u.name}: {many(u)}</li>{/each}
            </ul>
            <div class="flex items-center gap-1.5">
                <select class="select select-xs flex-1" aria-label="Put in its place" bind:value={by}>
                    <option value="">Leave those empty</option>
                    {#each others as s (s.id)}<option value={s.id}>Put {s.name} in its place</option>{/each}
                </select>
                <button class="btn btn-xs btn-error" onclick={replace}>{by ? 'Merge' : 'Delete'}</button>
            </div>
        {/if}
    </div>
</section>
