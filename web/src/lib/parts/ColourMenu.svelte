<script lang="ts">
    import Ellipsis from '@lucide/svelte/icons/ellipsis';
    import { coloursFile, readColours } from '../api';
    import { colours } from '../state/colours.svelte';
    import { tell, tellError } from '../state/notices.svelte';
    import { reference } from '../state/reference.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';

    let menu: HTMLDetailsElement | undefined = $state();
    let choosers: HTMLElement | undefined = $state();
    const choose = (name: string) => choosers?.querySelector<HTMLInputElement>(`[data-testid=${name}]`)?.click();
    let naming = $state(false);
    /** Regions under this are specks, mm². */
    const SPECK = 2;
    const others = $derived(shots.all.filter((s) => s.id !== shots.shot?.id && s.swatches.length > 0));

    const close = () => menu?.removeAttribute('open');
    async function bringIn(file: File) {
        try {
            const model = await readColours(file);
            if (await colours.add(model)) tell(`${model.swatches.length} swatches came from ${file.name}`);
        } catch (e) {
            tellError(e, file.name);
        }
    }
    async function takeOut(kind: string) {
        const shot = shots.shot;
        if (!shot) return;
        try {
            const url = URL.createObjectURL(await coloursFile(shot.id, `colours.${kind}`));
            const link = document.createElement('a');
            [link.href, link.download] = [url, `${shot.number}.colours.${kind}`];
            link.click();
            setTimeout(() => URL.revokeObjectURL(url), 1000);
        } catch (e) {
            tellError(e);
        }
    }
    const named = (id: string, name: string) =>
        colours.setTones(colours.tones.map((t) => (t.id === id ? { ...t, name } : t)));
    function addTone() {
        const taken = (id: string) => colours.tones.some((t) => t.id === id);
        let n = colours.tones.length + 1;
        while (taken(`tone-${n}`)) n++;
        void colours.setTones([...colours.tones, { id: `tone-${n}`, name: `Tone ${n}` }]);
    }
</script>

<details class="dropdown dropdown-end" bind:this={menu}>
    <summary class="btn btn-ghost btn-xs btn-square" aria-label="More of the colour model"
        ><Ellipsis size={16} /></summary
    >
    <ul
        class="menu dropdown-content z-20 mt-1 w-64 rounded-lg border border-base-300 bg-base-100 p-1 text-[13px] shadow"
    >
        <li>
            <button
                title="Empty regions under {SPECK} mm² take what they border on most"
                onclick={() => (close(), sheet.do({ of: 'paint', do: 'fill_specks', under: SPECK }))}
                >Fill specks like what is around</button
            >
        </li>
        {#each colours.tones as t (t.id)}
            <li>
                <button
                    title="Lines that have no colour of their own take it from what they bound most"
                    onclick={() => (close(), sheet.do({ of: 'paint', do: 'tone_lines', tone: t.id }))}
                    >Lines in the {t.name.toLowerCase()} of what they bound</button
                >
            </li>
        {/each}
        <li><button onclick={() => (close(), (naming = !naming))}>Name the tones …</button></li>
        <li><button onclick={() => (close(), choose('reference-file'))}>Reference picture …</button></li>
        <li><button onclick={() => (close(), choose('palette'))}>Bring in colours …</button></li>
        {#each ['gpl', 'css', 'json'] as kind (kind)}
            <li><button onclick={() => (close(), takeOut(kind))}>Take out as .{kind}</button></li>
        {/each}
        {#each others as s (s.id)}
            <li>
                <button onclick={() => (close(), colours.add({ tones: s.tones, swatches: s.swatches }))}
                    >Copy the {s.swatches.length} of shot {s.number}</button
                >
            </li>
        {/each}
    </ul>
</details>
{#snippet files(accept: string, name: string, take: (file: File) => void)}
    <input
        type="file"
        class="hidden"
        {accept}
        data-testid={name}
        onchange={(e) => {
            const file = e.currentTarget.files?.[0];
            if (file) take(file);
            e.currentTarget.value = '';
        }}
    />
{/snippet}
<span class="hidden" bind:this={choosers}>
    {@render files('.gpl,.css,.json', 'palette', (file) => void bringIn(file))}
    {@render files('.png,.jpg,.jpeg,.webp', 'reference-file', (file) => void reference.open(file, file.name))}
</span>
{#if naming}
    <div
        class="absolute inset-x-4 top-12 z-20 rounded-lg border border-base-300 bg-base-100 p-3 shadow"
        role="dialog"
        aria-label="Tones"
    >
        {#each colours.tones as t (t.id)}
            <div class="mb-1.5 flex gap-1.5">
                <input
                    class="input input-xs flex-1"
                    aria-label="Name of the tone"
                    maxlength="40"
                    value={t.name}
                    onchange={(e) => e.currentTarget.value.trim() && named(t.id, e.currentTarget.value.trim())}
                />
                <button
                    class="btn btn-ghost btn-xs"
                    title="What has it takes the base"
                    onclick={() => colours.setTones(colours.tones.filter((o) => o.id !== t.id))}>Take out</button
                >
            </div>
        {/each}
        <div class="flex justify-between">
            <button class="btn btn-ghost btn-xs text-primary" disabled={colours.tones.length >= 12} onclick={addTone}
                >Add a tone</button
            >
            <button class="btn btn-primary btn-xs" onclick={() => (naming = false)}>Done</button>
        </div>
    </div>
{/if}
