<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { guides } from '../state/guides.svelte';
    import { snaps } from '../state/snaps.svelte';

    const KINDS: { id: keyof typeof snaps.settings; name: string; help: string }[] = [
        { id: 'ends', name: 'ends', help: 'Ends of lines' },
        { id: 'lines', name: 'lines', help: 'Lines on the way; what is straight can touch them' },
        { id: 'onward', name: 'leads on', help: 'Where a line would lead on beyond its end' },
        { id: 'level', name: 'level, plumb', help: 'What is straight, level or plumb with an end' },
        { id: 'guides', name: 'guides', help: 'Guides, and where two of them cross' },
        { id: 'grid', name: 'grid', help: 'The 10 mm grid, while it is shown' },
    ];
</script>

<fieldset class="mt-3">
    <legend class="text-[13px]">Ink catches <span class="quiet">(Ctrl held: nothing)</span></legend>
    <div class="mt-1 flex flex-wrap gap-1">
        {#each KINDS as { id, name, help } (id)}
            <button
                class="cursor-pointer rounded-full border px-2 py-0.5 text-[12.5px] {snaps.settings[id]
                    ? 'border-primary bg-primary/15 font-semibold'
                    : 'border-base-300 quiet'}"
                role="switch"
                aria-checked={snaps.settings[id]}
                title={help}
                onclick={() => snaps.set({ [id]: !snaps.settings[id] })}>{name}</button
            >
        {/each}
    </div>
</fieldset>
<p class="quiet mt-2 flex justify-between text-[12.5px]">
    {#if guides.list.length > 0}
        <span>{guides.list.length === 1 ? '1 guide' : `${guides.list.length} guides`} over the shot</span>
        <button class="link" onclick={() => guides.clear()}>Take them away</button>
    {:else}
        Pull guides from the {bench.camera.isUpright ? 'rulers' : 'edges'} at the top and the left.
    {/if}
</p>
