<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { KEYS } from '../keys';

    let dialog: HTMLDialogElement;
    $effect(() => {
        if (bench.keysShown && !dialog.open) dialog.showModal();
        if (!bench.keysShown && dialog.open) dialog.close();
    });
</script>

<dialog bind:this={dialog} class="modal" onclose={() => (bench.keysShown = false)} aria-label="Keys">
    <div class="modal-box w-[720px] max-w-[92vw] bg-base-100">
        <h2 class="mb-3 text-[20px]">Keys</h2>
        <div class="columns-2 gap-8">
            {#each KEYS as group (group.name)}
                <section class="mb-4 break-inside-avoid">
                    <h3 class="quiet mb-1 font-sans text-[12.5px] font-semibold">{group.name}</h3>
                    <dl class="grid grid-cols-[auto_1fr] gap-x-3 gap-y-1 text-[13px]">
                        {#each group.keys as k (k.does)}
                            <dt class="whitespace-nowrap">
                                {#each k.keys as key (key)}<kbd class="key mr-1">{key}</kbd>{/each}
                            </dt>
                            <dd>{k.does}</dd>
                        {/each}
                    </dl>
                </section>
            {/each}
        </div>
        <form method="dialog" class="text-right"><button class="btn btn-sm btn-primary">Close</button></form>
    </div>
    <form method="dialog" class="modal-backdrop"><button aria-label="Close">close</button></form>
</dialog>
