<script lang="ts">
    import { bench, type ToolId } from '../state/bench.svelte';
    import type { Bundle } from '../tools';
    import type { Tool } from '../tools/tool';

    interface Props {
        tools: (Tool | Bundle)[];
    }
    const { tools }: Props = $props();
    /** The tool of each bundle that was in hand last, by the bundle's name. */
    const last = $state<Record<string, ToolId>>({});
    const open = $derived(tools.find((t): t is Bundle => 'tools' in t && t.tools.some((u) => u.id === bench.tool)));
    $effect(() => {
        if (open) last[open.name] = bench.tool;
    });

    const LOOK = 'flex cursor-pointer items-center gap-2 rounded-[10px] px-3 py-1.5 text-[13px] whitespace-nowrap';
    const lit = (is: boolean) => (is ? 'bg-primary text-primary-content' : 'hover:bg-base-200');
</script>

{#snippet button(t: Tool)}
    <button
        type="button"
        class="{LOOK} {lit(bench.tool === t.id)}"
        aria-pressed={bench.tool === t.id}
        title={t.help}
        onclick={() => (bench.tool = t.id)}
    >
        <t.icon size={16} />{t.name}
    </button>
{/snippet}

<div class="absolute bottom-3.5 left-1/2 flex -translate-x-1/2 flex-col items-center gap-1.5">
    {#if open}
        <div class="flex gap-1 rounded-[14px] bg-base-100 p-1 shadow-lg" role="toolbar" aria-label={open.name}>
            {#each open.tools as t (t.id)}
                {@render button(t)}
            {/each}
        </div>
    {/if}
    <div class="flex gap-1 rounded-[14px] bg-base-100 p-1.5 shadow-lg" role="toolbar" aria-label="Tools">
        {#each tools as t (t.name)}
            {#if 'tools' in t}
                <button
                    type="button"
                    class="{LOOK} {lit(t === open)}"
                    aria-pressed={t === open}
                    title={t.help}
                    onclick={() => (bench.tool = last[t.name] ?? t.tools[0]!.id)}
                >
                    {t.name}&thinsp;▴
                </button>
            {:else}
                {@render button(t)}
            {/if}
        {/each}
    </div>
</div>
