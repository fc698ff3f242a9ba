<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import type { Tool } from '../tools/tool';

    interface Props {
        tools: Tool[];
    }
    const { tools }: Props = $props();
</script>

<div
    class="absolute bottom-3.5 left-1/2 flex -translate-x-1/2 gap-1 rounded-[14px] bg-base-100 p-1.5 shadow-lg"
    role="toolbar"
    aria-label="Tools"
>
    {#each tools as t (t.id)}
        <button
            type="button"
            class="flex cursor-pointer items-center gap-2 rounded-[10px] px-3 py-1.5 text-[13px] whitespace-nowrap {bench.tool ===
            t.id
                ? 'bg-primary text-primary-content'
                : 'hover:bg-base-200'}"
            aria-pressed={bench.tool === t.id}
            title={t.help}
            onclick={() => (bench.tool = t.id)}
        >
            <t.icon size={16} />{t.name}
        </button>
    {/each}
</div>
