<script lang="ts">
    import { held } from '../state/held.svelte';

    const told = $derived(held.tidying);
    const share = $derived(told?.unlike ? `${((told.unlike / 255) * 100).toFixed(1)} %` : null);
</script>

{#if told}
    <div class="mt-2 rounded-md border border-secondary bg-secondary/15 px-3 py-2 text-[13px]" role="status">
        <p>
            <b>Would be {told.label}.</b>
            {share ? `No pixel changes by more than ${share}.` : 'No pixel of the picture changes.'}
        </p>
        <p class="mt-1.5 flex gap-2">
            <button class="btn btn-xs btn-primary" onclick={() => held.tidy()}>Tidy</button>
            <button class="btn btn-ghost btn-xs" onclick={() => (held.tidying = null)}>Leave it</button>
        </p>
    </div>
{/if}
