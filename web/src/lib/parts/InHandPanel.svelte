<script lang="ts">
    import ChevronDown from '@lucide/svelte/icons/chevron-down';
    import ChevronUp from '@lucide/svelte/icons/chevron-up';
    import ChevronsDown from '@lucide/svelte/icons/chevrons-down';
    import ChevronsUp from '@lucide/svelte/icons/chevrons-up';
    import ClipboardPaste from '@lucide/svelte/icons/clipboard-paste';
    import Copy from '@lucide/svelte/icons/copy';
    import CopyPlus from '@lucide/svelte/icons/copy-plus';
    import FlipHorizontal2 from '@lucide/svelte/icons/flip-horizontal-2';
    import FlipVertical2 from '@lucide/svelte/icons/flip-vertical-2';
    import Trash2 from '@lucide/svelte/icons/trash-2';
    import type { Component } from 'svelte';
    import { type Affine, moved, scaled, turned } from '../geometry/affine';
    import type { Box } from '../geometry/box';
    import { held } from '../state/held.svelte';
    import { mending } from '../state/mending.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import type { Becomes } from '../types/Becomes';
    import type { Level } from '../types/Level';
    import type { Together } from '../types/Together';
    import Choice from './Choice.svelte';
    import Slider from './Slider.svelte';
    import Tidying from './Tidying.svelte';

    const n = $derived(held.lines.length);
    const perMm = $derived((sheet.view?.dpi ?? 300) / 25.4);
    const box: Box = $derived(held.box ?? [0, 0, 0, 0]);
    const has = (kind: 'centreline' | 'outline' | 'seam') => held.lines.some((l) => l.kind === kind);
    const grouped = $derived(held.lines.some((l) => l.group !== undefined));
    const inked = $derived(held.lines.filter((l) => l.kind !== 'seam').length);
    const says = $derived.by(() => {
        const drawn = held.lines.filter((l) => l.made === 'hand' || l.made === 'bridge').length;
        const made = drawn === n ? 'by hand' : drawn === 0 ? 'traced' : `${drawn} by hand`;
        return `${n === 1 ? '1 line' : `${n} lines`} · ${made}`;
    });
    const colour = $derived.by(() => {
        const all = new Set(held.lines.map((l) => l.swatch ?? ''));
        return all.size === 1 ? ([...all][0] ?? '') : 'several';
    });

    /** Numbers typed in: where the box's corner goes, how far all is turned, how large it gets. */
    const FIELDS: { name: string; value: () => string; unit: string; map: (v: number) => Affine }[] = [
        {
            name: 'Across',
            value: () => (box[0] / perMm).toFixed(1),
            unit: 'mm',
            map: (v) => moved(v * perMm - box[0], 0),
        },
        {
            name: 'Down',
            value: () => (box[1] / perMm).toFixed(1),
            unit: 'mm',
            map: (v) => moved(0, v * perMm - box[1]),
        },
        { name: 'Turn by', value: () => '0', unit: '°', map: (v) => turned(held.pivot, (v * Math.PI) / 180) },
        { name: 'Size', value: () => '100', unit: '%', map: (v) => scaled(held.pivot, v / 100, v / 100) },
    ];
    function enter(field: (typeof FIELDS)[number], input: HTMLInputElement) {
        const v = Number(input.value.replace(',', '.'));
        if (input.value.trim() !== '' && Number.isFinite(v) && input.value !== field.value())
            void held.lead(field.map(v));
        input.value = field.value();
    }
    const mirror = (across: boolean) => held.lead(scaled(held.pivot, across ? -1 : 1, across ? 1 : -1));
    const convert = (to: Becomes) => held.do({ do: 'convert', lines: held.ids, to });
    const order = (to: Level) => held.do({ do: 'order', lines: held.ids, to });
    const together = async (how: Together) => {
        await held.do({ do: 'combine', lines: held.ids, how });
    };
    interface Sign {
        name: string;
        icon: Component<{ size?: number }>;
        /** What a pointer that rests on it is told. */
        says: string;
        act: () => unknown;
    }
    const BECOMES: Sign[] = [
        { name: 'Mirror ↔', icon: FlipVertical2, says: 'Mirror: left becomes right', act: () => mirror(true) },
        { name: 'Mirror ↕', icon: FlipHorizontal2, says: 'Mirror: up becomes down', act: () => mirror(false) },
        { name: 'Duplicate', icon: CopyPlus, says: 'Duplicate (Ctrl D)', act: () => held.duplicate() },
        { name: 'Copy', icon: Copy, says: 'Copy (Ctrl C)', act: () => held.copy() },
        { name: 'Paste', icon: ClipboardPaste, says: 'Paste (Ctrl V)', act: () => held.paste() },
        { name: 'Take away', icon: Trash2, says: 'Take away (Del)', act: () => held.takeAway() },
    ];
    const ORDER: Sign[] = [
        { name: 'Topmost', icon: ChevronsUp, says: 'Topmost (Ctrl PgUp)', act: () => order('top') },
        { name: 'Over', icon: ChevronUp, says: 'Over what lies there (PgUp)', act: () => order('up') },
        { name: 'Under', icon: ChevronDown, says: 'Under what lies there (PgDn)', act: () => order('down') },
        { name: 'Lowest', icon: ChevronsDown, says: 'Lowest (Ctrl PgDn)', act: () => order('bottom') },
    ];
    const BUTTON = 'btn btn-outline btn-primary btn-xs h-7 px-2 text-[12.5px] font-semibold';
</script>

{#snippet signs(list: Sign[])}
    {#each list as s (s.name)}
        <button
            class="btn btn-outline btn-primary btn-xs h-7 w-[27px] p-0"
            aria-label={s.name}
            title={s.says}
            disabled={s.name === 'Paste' && held.copied.length === 0}
            onclick={() => void s.act()}><s.icon size={15} /></button
        >
    {/each}
{/snippet}

{#if n === 0}
    <p class="mt-2 text-[13px]">Nothing is in hand yet.</p>
    <div class="mt-2 flex flex-wrap gap-1.5">
        <button class={BUTTON} onclick={() => held.takeInverse()}>All lines</button>
        <button class={BUTTON} disabled={held.copied.length === 0 || sheet.busy} onclick={() => held.paste()}
            >Paste {held.copied.length > 0 ? held.copied.length : ''}</button
        >
        <button class={BUTTON} onclick={() => held.tryTidying()}>Tidy all …</button>
    </div>
    <Tidying />
{:else}
    <p class="mt-2 text-[13px]"><b>In hand</b>&ensp;<span class="quiet" data-testid="in-hand">{says}</span></p>
    <div class="mt-1.5 grid grid-cols-2 gap-x-4 gap-y-1 text-[13px]">
        {#each FIELDS as f (f.name)}
            <label class="flex items-center justify-between gap-1"
                >{f.name}
                <span class="flex items-center gap-1"
                    ><input
                        class="w-14 rounded border border-base-300 bg-base-100 px-1 text-right font-semibold"
                        inputmode="decimal"
                        aria-label={f.name}
                        value={f.value()}
                        disabled={sheet.busy}
                        onchange={(e) => enter(f, e.currentTarget)}
                        onkeydown={(e) => e.key === 'Enter' && e.currentTarget.blur()}
                    /><span class="quiet w-5">{f.unit}</span></span
                ></label
            >
        {/each}
    </div>
    <Choice
        label="When it is scaled its weight"
        value={held.weight ? 'scales' : 'stays'}
        options={[
            { value: 'scales', name: 'Scales' },
            { value: 'stays', name: 'Stays' },
        ]}
        onchoose={(v) => (held.weight = v === 'scales')}
    />
    <div class="mt-2.5 flex flex-wrap gap-1" role="group" aria-label="What becomes of it">
        {@render signs(BECOMES)}
        <button
            class="{BUTTON} {held.next === 'spread' ? 'btn-active' : ''}"
            aria-pressed={held.next === 'spread'}
            title="Then draw the way that copies lie along"
            onclick={() => (held.next = held.next === 'spread' ? null : 'spread')}>Along a way …</button
        >
    </div>
    {#if held.next === 'spread'}
        <div class="mt-2 flex items-center justify-between text-[13px]">
            <label class="flex items-center gap-1"
                >Copies
                <input
                    class="w-14 rounded border border-base-300 bg-base-100 px-1 text-right font-semibold"
                    type="number"
                    min="1"
                    max="500"
                    value={held.copies}
                    onchange={(e) =>
                        (held.copies = Math.min(500, Math.max(1, Math.round(+e.currentTarget.value || 1))))}
                /></label
            >
            <label class="flex items-center gap-1"
                ><input type="checkbox" class="checkbox checkbox-xs" bind:checked={held.turns} />Turn with the way</label
            >
        </div>
        <p class="mt-1 text-[12.5px]" role="status"><b>Draw the way they are to lie along.</b></p>
    {/if}
    <h3 class="quiet mt-2.5 text-[12.5px]">Form</h3>
    <div class="mt-1 flex flex-wrap gap-1.5" role="group" aria-label="Form">
        {#if has('centreline')}
            <button class={BUTTON} onclick={() => convert({ form: 'outline' })}>To outline</button>
            <button class={BUTTON} onclick={() => convert({ form: 'seam' })}>To seam</button>
        {/if}
        {#if has('outline') || has('seam')}
            <button class={BUTTON} onclick={() => convert({ form: 'centreline', width: 0.6 * perMm })}
                >To centreline</button
            >
        {/if}
        {#if n === 1 && has('centreline')}
            <button
                class="{BUTTON} {held.next === 'end along' ? 'btn-active' : ''}"
                aria-pressed={held.next === 'end along'}
                title="Then click the line it is to end along"
                onclick={() => (held.next = held.next === 'end along' ? null : 'end along')}>End along …</button
            >
        {/if}
        {#if inked > 1}
            <button class={BUTTON} onclick={() => together('fuse')}>Fuse</button>
            <button
                class={BUTTON}
                title="The one taken last is cut out of the others"
                onclick={() => together('subtract')}>Subtract</button
            >
            <button class={BUTTON} onclick={() => together('intersect')}>Intersect</button>
        {/if}
        <button
            class={BUTTON}
            title="Shapes of one colour become one, what they hide goes, idle seams go"
            onclick={() => held.tryTidying()}>Tidy …</button
        >
    </div>
    <Tidying />
    {#if held.next === 'end along'}
        <Slider
            label="Its distance from that line"
            value={mending.settings.gap}
            min={0}
            max={4}
            step={0.05}
            shown="{mending.settings.gap.toFixed(2)} mm"
            oninput={(v) => (mending.settings.gap = v)}
            onsave={() => mending.keep()}
        />
        <p class="mt-1 text-[12.5px]" role="status"><b>Click the line it is to end along.</b></p>
    {/if}
    <h3 class="quiet mt-2.5 text-[12.5px]">Order</h3>
    <div class="mt-1 flex flex-wrap gap-1" role="group" aria-label="Order">
        {@render signs(ORDER)}
        {#if n > 1}
            <button
                class={BUTTON}
                title="Ctrl G"
                onclick={() => held.do({ do: 'group', lines: held.ids, apart: false })}>Group</button
            >
        {/if}
        {#if grouped}
            <button class={BUTTON} onclick={() => held.do({ do: 'group', lines: held.ids, apart: true })}
                >Ungroup</button
            >
        {/if}
    </div>
    <h3 class="quiet mt-2.5 text-[12.5px]">Take also</h3>
    <div class="mt-1 flex flex-wrap gap-1.5" role="group" aria-label="Take also">
        <button class={BUTTON} onclick={() => held.takeConnected()}>Connected</button>
        <button class={BUTTON} onclick={() => held.takeLike('colour')}>Same colour</button>
        <button class={BUTTON} onclick={() => held.takeLike('width')}>Same width</button>
        <button class={BUTTON} onclick={() => held.takeInverse()}>The others</button>
        <button class={BUTTON} onclick={() => held.take([])}>None</button>
    </div>
    <label class="mt-3 flex items-center justify-between text-[13px]"
        >Colour
        <select
            class="max-w-44 cursor-pointer bg-base-100 font-semibold"
            aria-label="Colour of what is in hand"
            value={colour}
            disabled={sheet.busy}
            onchange={(e) =>
                void sheet.do({
                    of: 'paint',
                    do: 'colour_lines',
                    lines: held.ids,
                    swatch: e.currentTarget.value || null,
                })}
        >
            {#if colour === 'several'}<option value="several" disabled>several</option>{/if}
            <option value="">the ink’s</option>
            {#each shots.shot?.swatches ?? [] as s (s.id)}<option value={s.id}>{s.name}</option>{/each}
        </select></label
    >
{/if}
