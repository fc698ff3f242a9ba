<script lang="ts">
    import Check from '@lucide/svelte/icons/check';
    import CircleAlert from '@lucide/svelte/icons/circle-alert';
    import X from '@lucide/svelte/icons/x';
    import { shots } from '../state/shots.svelte';

    let input: HTMLInputElement;
    let over = $state(0);
    const rows = $derived(shots.incoming);
    const busy = $derived(rows.some((r) => r.state === 'sending' || r.state === 'reading'));
    const came = $derived(rows.filter((r) => r.state === 'done').length);
    /** When all went well there is nothing to read: it goes by itself. */
    const LINGERS = 2500;
    $effect(() => {
        if (busy || rows.length === 0 || !rows.every((r) => r.state === 'done' && r.notes.length === 0)) return;
        const timer = setTimeout(() => (shots.incoming = []), LINGERS);
        return () => clearTimeout(timer);
    });

    export function choose() {
        input.click();
    }

    function drop(e: DragEvent) {
        e.preventDefault();
        over = 0;
        void shots.bringIn([...(e.dataTransfer?.files ?? [])]);
    }
    const carriesFiles = (e: DragEvent) => e.dataTransfer?.types.includes('Files') ?? false;
</script>

<svelte:window
    ondragenter={(e) => carriesFiles(e) && over++}
    ondragleave={(e) => carriesFiles(e) && over--}
    ondragover={(e) => carriesFiles(e) && e.preventDefault()}
    ondrop={drop}
/>
<input
    bind:this={input}
    type="file"
    multiple
    class="hidden"
    accept=".png,.jpg,.jpeg,.tif,.tiff,.svg,.ora,.json"
    data-testid="intake"
    onchange={() => {
        void shots.bringIn([...(input.files ?? [])]);
        input.value = '';
    }}
/>
{#if over > 0}
    <div
        class="pointer-events-none fixed inset-3 z-40 grid place-items-center rounded-2xl border-4 border-dashed border-primary bg-base-100/80"
    >
        <p class="font-head text-[24px]">Drop to bring into shot {shots.shot?.number ?? ''}</p>
    </div>
{/if}
{#if rows.length > 0}
    <section
        class="fixed left-4 bottom-[126px] z-40 w-[380px] rounded-xl bg-base-100 shadow-xl ring-1 ring-base-300"
        aria-label="Bringing in"
    >
        <header class="flex items-center justify-between px-4 py-2">
            <b>{busy ? `Bringing in ${came + 1} of ${rows.length}` : `${came} of ${rows.length} brought in`}</b>
            {#if !busy}<button class="cursor-pointer" aria-label="Close" onclick={() => (shots.incoming = [])}
                    ><X size={16} /></button
                >{/if}
        </header>
        <ul class="max-h-[240px] overflow-y-auto pb-2">
            {#each rows as r, i (i)}
                <li class="border-t border-base-300 px-4 py-1.5 text-[13px]">
                    <div class="flex items-center gap-2">
                        <span class="min-w-0 flex-1 truncate">{r.name}</span>
                        {#if r.state === 'done'}<Check size={15} class="text-primary" />
                        {:else if r.state === 'failed'}<CircleAlert size={15} class="text-error" />
                        {:else if r.state === 'reading'}<span class="quiet">reading …</span>
                        {:else}<span class="quiet">{Math.round(r.share * 100)} %</span>{/if}
                    </div>
                    {#if r.state === 'sending'}<progress class="progress progress-primary h-1" value={r.share} max="1"
                        ></progress>{/if}
                    {#each r.notes as note (note)}<p class="text-[12.5px] first-letter:uppercase" role="status">
                            {note}
                        </p>{/each}
                    {#if r.trouble}<p class="text-[12.5px] first-letter:uppercase" role="alert">{r.trouble}</p>{/if}
                </li>
            {/each}
        </ul>
    </section>
{/if}
