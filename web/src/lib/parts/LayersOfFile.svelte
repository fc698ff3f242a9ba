<script lang="ts">
    import { layers } from '../state/layers.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { underlay } from '../state/underlay.svelte';

    const view = $derived(sheet.view);
    $effect(() => {
        if (!view) return;
        void layers.enter(view.info.id, view.info.key);
        void underlay.enter(view.info.key);
    });
    /** Vector art is ink by its lines. */
    const hasInk = $derived(view?.lift !== null);
    const isRough = (n: number) => underlay.rough?.id === view?.info.id && underlay.rough?.layer === n;
</script>

{#snippet ink(name: string, isInk: boolean, isOnly: boolean, toggle: () => void)}
    <label class="flex min-w-0 flex-1 cursor-pointer items-center gap-2">
        <input
            type="checkbox"
            class="checkbox checkbox-xs checkbox-primary"
            checked={isInk}
            disabled={sheet.busy || isOnly}
            aria-label="Ink of {name}"
            title={isOnly ? 'The only one that is ink' : ''}
            onchange={toggle}
        />
        <span class="truncate" title={name}>{name}</span>
    </label>
{/snippet}

{#if layers.names.length > 0 && view}
    <section class="mt-3 border-t border-base-300 pt-2 text-[13px]" aria-label="Layers of the file">
        <h3 class="font-semibold">{hasInk ? 'Layers of the file' : 'Pictures in the file'}</h3>
        <p class="quiet text-[12.5px]">
            {#if hasInk}What is ticked is the ink.{/if} A rough lies below at Draw, a reference lends its colours at Paint.
        </p>
        <ul class="mt-1">
            {#each layers.names as name, n (n)}
                <li class="flex items-center gap-2 py-0.5">
                    {#if hasInk}{@render ink(
                            name,
                            !!layers.ink?.includes(n),
                            layers.ink?.length === 1 && layers.ink[0] === n,
                            () => void layers.toggleInk(n),
                        )}{:else}<span class="min-w-0 flex-1 truncate" title={name}>{name}</span>{/if}
                    <button
                        class="btn btn-xs {isRough(n) ? 'btn-primary' : 'btn-ghost text-primary'}"
                        aria-pressed={isRough(n)}
                        title="It lies dimmed under the drawing at Draw"
                        onclick={() => void underlay.choose(isRough(n) ? null : view.info.id, n)}>Rough</button
                    >
                    <button
                        class="btn btn-xs btn-ghost text-primary"
                        title="It stands beside the drawing at Paint: a click on it picks its colour"
                        onclick={() => void layers.refer(n)}>Reference</button
                    >
                </li>
            {/each}
            {#if hasInk}<li class="flex items-center py-0.5">
                    {@render ink(
                        'all of them, as the file looks',
                        layers.ink === null,
                        false,
                        () => void layers.toggleWhole(),
                    )}
                </li>{/if}
        </ul>
    </section>
{/if}
