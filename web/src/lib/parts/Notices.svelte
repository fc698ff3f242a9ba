<script lang="ts">
    import CircleAlert from '@lucide/svelte/icons/circle-alert';
    import X from '@lucide/svelte/icons/x';
    import { dismiss, notices } from '../state/notices.svelte';
</script>

<div class="fixed top-[70px] left-1/2 z-50 grid -translate-x-1/2 gap-2" aria-live="assertive">
    {#each notices.list as n (n.id)}
        <div
            class="flex w-[430px] items-start gap-3 rounded-xl bg-base-100 px-4 py-2.5 text-[13px] shadow-xl ring-1 {n.bad
                ? 'ring-error'
                : 'ring-base-300'}"
            role={n.bad ? 'alert' : 'status'}
        >
            {#if n.bad}<CircleAlert size={18} class="mt-0.5 shrink-0 text-error" />{/if}
            <p class="flex-1 leading-snug">
                <b>{n.title}</b>{#if n.advice}<br />{n.advice}{/if}
            </p>
            <button class="cursor-pointer" aria-label="Dismiss" onclick={() => dismiss(n.id)}><X size={15} /></button>
        </div>
    {/each}
</div>
