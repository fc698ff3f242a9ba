<script lang="ts">
    import type { Kind } from '../types/Kind';

    const { kind }: { kind: Kind } = $props();
</script>

<svg width="22" height="22" viewBox="0 0 22 22" fill="none" aria-hidden="true">
    {#if kind === 'gap'}
        <path d="M5 11h12" stroke="#DE9F27" stroke-width="2.5" stroke-dasharray="0.1 4" stroke-linecap="round" />
        <path d="M5 7l4 4-4 4-4-4zM17 7l4 4-4 4-4-4z" fill="#DE9F27" stroke="currentColor" stroke-width="1.1" />
    {:else if kind === 'tail'}
        <path
            d="M2 11l4-5 4 10 4-10 4 10 2-5"
            stroke="var(--color-accent)"
            stroke-width="2.2"
            stroke-linejoin="round"
        />
    {:else if kind === 'leak'}
        <g fill="#3B6FA5">
            <circle cx="3" cy="11" r="1.4" /><circle cx="7.5" cy="11" r="1.9" />
            <circle cx="12.5" cy="11" r="2.5" /><circle cx="18.5" cy="11" r="3.1" />
        </g>
    {:else if kind === 'loose_end'}
        <path d="M17.5 7.5A8 8 0 1 0 12.5 18.8" stroke="var(--color-error)" stroke-width="2.6" stroke-linecap="round" />
    {:else if kind === 'sliver'}
        <path d="M11 3l8 14H3z" stroke="var(--color-error)" stroke-width="2.2" stroke-linejoin="round" />
        <circle cx="11" cy="12.5" r="1.8" fill="var(--color-error)" />
    {:else if kind === 'unpainted'}
        <path d="M3 3h16v16H3z" stroke="var(--color-error)" stroke-width="1.4" />
        <path d="M3 12l9-9M3 19L19 3M10 19l9-9" stroke="var(--color-error)" stroke-width="1.6" />
    {:else if kind === 'doubtful'}
        <circle cx="11" cy="11" r="8.5" stroke="currentColor" stroke-width="2" />
        <path
            d="M8.2 8.6a2.9 2.9 0 1 1 4 2.7c-.8.4-1.2.8-1.2 1.8"
            stroke="currentColor"
            stroke-width="2"
            stroke-linecap="round"
        />
        <circle cx="11" cy="15.8" r="1.3" fill="currentColor" />
    {:else if kind === 'unlike'}
        <path d="M3 4h16v5H3z" stroke="var(--color-accent)" stroke-width="2" />
        <path d="M2 12.5h18v6H2z" fill="var(--color-accent)" />
    {:else}
        <circle cx="11" cy="11" r="8" stroke="var(--color-accent)" stroke-width="2" />
        <path d="M11 3a8 8 0 0 1 0 16z" fill="var(--color-accent)" />
    {/if}
</svg>
