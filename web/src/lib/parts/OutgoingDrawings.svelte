<script lang="ts">
    import type { DrawingInfo } from '../types/DrawingInfo';

    interface Props {
        all: DrawingInfo[];
        /** The one that is looked at. */
        here: number;
        chosen: number[];
        onchoose: (ids: number[]) => void;
    }
    const { all, here, chosen, onchoose }: Props = $props();
    const ready = $derived(all.filter((d) => d.ready).map((d) => d.id));
    const everything = $derived(all.map((d) => d.id));
    const isLike = (ids: number[]) => ids.length === chosen.length && ids.every((id) => chosen.includes(id));

    function toggle(id: number) {
        onchoose(chosen.includes(id) ? chosen.filter((c) => c !== id) : [...chosen, id]);
    }
</script>

<fieldset class="mt-3">
    <legend class="mb-1 flex w-full items-baseline gap-3 text-[13px] font-semibold">
        <span class="flex-1">Drawings</span>
        {#each [{ name: 'this one', ids: [here] }, { name: `${ready.length} ready`, ids: ready }, { name: `all ${all.length}`, ids: everything }] as way (way.name)}
            <button
                type="button"
                class="cursor-pointer text-[12.5px] font-normal underline decoration-dotted underline-offset-3 disabled:opacity-50 {isLike(
                    way.ids,
                )
                    ? 'text-primary'
                    : ''}"
                disabled={way.ids.length === 0}
                onclick={() => onchoose(way.ids)}>{way.name}</button
            >
        {/each}
    </legend>
    <div class="flex max-h-[92px] flex-wrap gap-1 overflow-y-auto">
        {#each all as d (d.id)}
            {@const is = chosen.includes(d.id)}
            <button
                type="button"
                aria-pressed={is}
                title={d.ready ? `${d.name} is ready` : `${d.name} is not ready`}
                class="flex cursor-pointer items-center gap-1.5 rounded-full border px-2 py-0.5 text-[12.5px] {is
                    ? 'border-primary bg-primary text-primary-content'
                    : 'border-base-300 hover:bg-base-200'}"
                onclick={() => toggle(d.id)}
                ><span
                    class="size-2 rounded-full border {d.ready
                        ? is
                            ? 'border-primary-content bg-primary-content'
                            : 'border-primary bg-primary'
                        : is
                          ? 'border-primary-content'
                          : 'border-current'}"
                ></span>{d.name}</button
            >
        {/each}
    </div>
</fieldset>
