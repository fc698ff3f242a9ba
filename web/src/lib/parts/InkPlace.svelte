<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { pen } from '../state/pen.svelte';
    import { shots } from '../state/shots.svelte';
    import Choice from './Choice.svelte';

    const p = $derived(pen.settings);
    const set = (change: Partial<typeof pen.settings>) => pen.set(change);
</script>

<label class="mt-3 flex items-center justify-between text-[13px]"
    >Colour
    <select
        class="max-w-44 cursor-pointer bg-base-100 font-semibold"
        aria-label="Colour of the ink"
        value={p.swatch ?? ''}
        onchange={(e) => set({ swatch: e.currentTarget.value || null })}
    >
        <option value="">the ink’s</option>
        {#each shots.shot?.swatches ?? [] as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
    </select></label
>
{#if ['rectangle', 'ellipse', 'curves'].includes(bench.tool)}
    <Choice
        label="Shapes are drawn"
        value={p.shapes}
        options={[
            { value: 'line', name: 'As a line' },
            { value: 'filled', name: 'Filled' },
            { value: 'both', name: 'Both' },
        ]}
        onchoose={(shapes) => set({ shapes })}
    />
{/if}
{#if bench.tool === 'ink'}
    <Choice
        label="Overlapping strokes"
        value={p.fuse ? 'fuse' : 'apart'}
        options={[
            { value: 'fuse', name: 'Fuse', help: 'Those of one colour become one shape' },
            { value: 'apart', name: 'Stay apart' },
        ]}
        onchoose={(how) => set({ fuse: how === 'fuse' })}
    />
{/if}
<Choice
    label="New ink lies"
    value={p.under ? 'under' : 'over'}
    options={[
        { value: 'over', name: 'Over', help: 'On top of everything' },
        { value: 'under', name: 'Under', help: 'Beneath everything' },
    ]}
    onchoose={(where) => set({ under: where === 'under' })}
/>
