<script lang="ts">
    import type { Component } from 'svelte';
    import { bench, type Tool } from '../state/bench.svelte';

    interface Props {
        tools: { tool: Tool; name: string; help: string; icon: Component<{ size?: number }> }[];
    }
    const { tools }: Props = $props();
</script>

<div
    class="absolute bottom-3.5 left-1/2 flex -translate-x-1/2 gap-1 rounded-[14px] bg-base-100 p-1.5 shadow-lg"
    role="toolbar"
    aria-label="Tools"
>
    {#each tools as t (t.tool)}
        <button
            type="button"
            class="flex cursor-pointer items-center gap-2 rounded-[10px] px-3 py-1.5 text-[13px] whitespace-nowrap {bench.tool ===
            t.tool
                ? 'bg-primary text-primary-content'
                : 'hover:bg-base-200'}"
            aria-pressed={bench.tool === t.tool}
            title={t.help}
            onclick={() => (bench.tool = t.tool)}
        >
            <t.icon size={16} />{t.name}
        </button>
    {/each}
</div>
