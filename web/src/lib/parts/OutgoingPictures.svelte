<script lang="ts">
    import { outgo } from '../state/handOff.svelte';
    import type { Fields } from '../types/Fields';
    import Choice from './Choice.svelte';

    const leaving = $derived(outgo.how.leaving);
    const SIZES = [25, 50, 100, 200, 400];

    function set(change: Partial<typeof outgo.how.leaving>) {
        outgo.how.leaving = { ...outgo.how.leaving, ...change };
        outgo.keep();
    }
    const hex = (c: [number, number, number]) => '#' + c.map((v) => v.toString(16).padStart(2, '0')).join('');
    const rgb = (text: string): [number, number, number] => [
        parseInt(text.slice(1, 3), 16),
        parseInt(text.slice(3, 5), 16),
        parseInt(text.slice(5, 7), 16),
    ];
    /** Which charts there are, and whether pictures end with them. */
    const CHARTS: { value: Fields; name: string }[] = [
        { value: 'none', name: 'None' },
        { value: 'twelve', name: '12 field' },
        { value: 'sixteen', name: '16 field' },
    ];
</script>

<div class="mt-1 grid grid-cols-[84px_1fr] items-center gap-x-2 gap-y-2 text-[13px]">
    <label for="out-size">Size</label>
    <span class="flex items-center gap-2">
        <input
            id="out-size"
            class="input input-xs w-[64px] tabular-nums"
            type="number"
            min="25"
            max="400"
            list="out-sizes"
            value={leaving.percent}
            onchange={(e) => {
                const v = Math.round(Math.min(400, Math.max(25, e.currentTarget.valueAsNumber || 100)));
                e.currentTarget.value = String(v);
                set({ percent: v });
            }}
        />%
        <datalist id="out-sizes"
            >{#each SIZES as s (s)}<option value={s}></option>{/each}</datalist
        >
    </span>
    <span>Under all</span>
    <span class="flex items-center gap-3">
        <label class="flex cursor-pointer items-center gap-1.5"
            ><input
                class="radio radio-xs"
                type="radio"
                name="backdrop"
                checked={!leaving.backdrop}
                onchange={() => set({ backdrop: null })}
            />nothing</label
        >
        <label class="flex cursor-pointer items-center gap-1.5"
            ><input
                class="radio radio-xs"
                type="radio"
                name="backdrop"
                checked={!!leaving.backdrop}
                onchange={() => set({ backdrop: [255, 255, 255] })}
            />a colour</label
        >
        {#if leaving.backdrop}
            <input
                class="h-6 w-9 cursor-pointer rounded border border-base-300"
                type="color"
                aria-label="Colour under all"
                value={hex(leaving.backdrop)}
                oninput={(e) => set({ backdrop: rgb(e.currentTarget.value) })}
            />
        {/if}
    </span>
    <span>Ink edge</span>
    <Choice
        label="Ink edge"
        compact
        value={leaving.edge}
        options={[
            { value: 'soft', name: 'As it is' },
            { value: 'crisp', name: 'Crisp', help: 'Each pixel is ink or none' },
        ]}
        onchoose={(edge) => set({ edge })}
    />
    <span>Field chart</span>
    <Choice
        label="Field chart"
        compact
        value={leaving.chart}
        options={CHARTS}
        onchoose={(chart) => set({ chart, cropped: leaving.cropped && chart !== 'none' })}
    />
    {#if leaving.chart !== 'none'}
        <span></span>
        <label class="flex cursor-pointer items-center gap-2"
            ><input
                class="checkbox checkbox-xs"
                type="checkbox"
                checked={leaving.cropped}
                onchange={(e) => set({ cropped: e.currentTarget.checked })}
            />crop to the chart</label
        >
    {/if}
    {#if outgo.how.formats.includes('tiff')}
        <span>TIFF</span>
        <span class="grid gap-2">
            <Choice
                label="Packing of TIFF"
                compact
                value={outgo.how.packed.tiff}
                options={[
                    { value: 'lzw', name: 'LZW' },
                    { value: 'deflate', name: 'Deflate' },
                ]}
                onchoose={(tiff) => {
                    outgo.how.packed = { ...outgo.how.packed, tiff };
                    outgo.keep();
                }}
            />
            <Choice
                label="Depth of TIFF"
                compact
                value={outgo.how.packed.depth}
                options={[
                    { value: 'eight', name: '8 bit' },
                    { value: 'sixteen', name: '16 bit' },
                ]}
                onchoose={(depth) => {
                    outgo.how.packed = { ...outgo.how.packed, depth };
                    outgo.keep();
                }}
            />
        </span>
    {/if}
</div>
