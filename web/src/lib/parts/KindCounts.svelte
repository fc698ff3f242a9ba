<script lang="ts">
    import type { Kind } from '../types/Kind';
    import { KIND_NAMES } from '../drawn/marks';
    import MarkIcon from './MarkIcon.svelte';

    /** How many are open of each kind, the most first. */
    const { counts }: { counts: readonly [Kind, number][] } = $props();
</script>

<span class="inline-flex flex-wrap items-center justify-center gap-x-2">
    {#each counts as [kind, n] (kind)}
        <span
            class="inline-flex items-center gap-0.5 font-bold tabular-nums"
            title="{n} {KIND_NAMES[kind][n === 1 ? 0 : 1].toLowerCase()}"><MarkIcon {kind} />{n}</span
        >
    {/each}
</span>
