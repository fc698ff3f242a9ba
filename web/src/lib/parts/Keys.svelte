<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { GROUPS } from '../actions/actions';

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
            {#each GROUPS as group (group.name)}
                <section class="mb-4 break-inside-avoid">
                    <h3 class="quiet mb-1 font-sans text-[12.5px] font-semibold">{group.name}</h3>
                    <dl class="grid grid-cols-[auto_1fr] gap-x-3 gap-y-1 text-[13px]">
                        {#each group.actions as action (action.does)}
                            <dt class="whitespace-nowrap">
                                {#each action.keys as key, k (k)}{#if k > 0 && key.caps.length > 1}<span
                                            class="quiet mr-1">or</span
                                        >{/if}{#each key.caps as cap (cap)}<kbd class="key mr-1">{cap}</kbd
                                        >{/each}{/each}
                            </dt>
                            <dd>{action.does}</dd>
                        {/each}
                    </dl>
                </section>
            {/each}
        </div>
        <form method="dialog" class="text-right"><button class="btn btn-sm btn-primary">Close</button></form>
    </div>
    <form method="dialog" class="modal-backdrop"><button aria-label="Close">close</button></form>
</dialog>
