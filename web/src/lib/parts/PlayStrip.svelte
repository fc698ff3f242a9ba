<script lang="ts">
    import Square from '@lucide/svelte/icons/square';
    import { play, RATES, type Rate } from '../state/play.svelte';

    const name = $derived(play.drawing?.name ?? '');
    const waits = $derived(play.fetched < play.drawings.length);
    const isKept = $derived(play.kept >= play.rate * 0.97);
</script>

<div class="pill flex items-center gap-3 tabular-nums" role="group" aria-label="Play">
    <button class="flex cursor-pointer items-center gap-1.5 font-semibold" title="Stop (R)" onclick={() => play.stop()}
        ><Square size={13} />Stop</button
    >
    {#if waits}
        <span>{play.fetched} of {play.drawings.length} drawings are there</span>
    {:else}
        <span class="min-w-[118px]" data-testid="frame">frame {play.frame + 1} of {play.frames} · <b>{name}</b></span>
        <label class="flex items-center gap-1"
            ><select
                class="cursor-pointer bg-base-100 font-semibold"
                aria-label="Frames a second"
                value={play.rate}
                onchange={(e) => play.setRate(Number(e.currentTarget.value) as Rate)}
            >
                {#each RATES as r (r)}<option value={r}>{r}</option>{/each}
            </select> a second</label
        >
        <select class="cursor-pointer bg-base-100 font-semibold" aria-label="What is played" bind:value={play.shows}>
            <option value="both">ink and paint</option>
            <option value="ink">ink</option>
            <option value="paint">paint</option>
        </select>
        {#if play.kept > 0}
            <span class={isKept ? 'quiet' : 'font-bold text-error'} data-testid="kept"
                >{isKept ? 'kept' : `kept ${play.kept.toFixed(1)}`}</span
            >
        {/if}
    {/if}
</div>
