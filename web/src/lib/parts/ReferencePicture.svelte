<script lang="ts">
    import X from '@lucide/svelte/icons/x';
    import { reference } from '../state/reference.svelte';
    import { colours } from '../state/colours.svelte';
    import { hex } from './units';

    const HEAD = 30;
    let canvas: HTMLCanvasElement | undefined = $state();
    let over = $state<{ x: number; y: number } | null>(null);
    const picture = $derived(reference.picture);
    const height = $derived(picture ? Math.round((reference.at.width * picture.height) / picture.width) : 0);
    $effect(() => {
        if (!canvas || !picture) return;
        canvas.width = Math.min(picture.width, 2 * reference.at.width);
        canvas.height = Math.round((canvas.width * picture.height) / picture.width);
        canvas.getContext('2d')?.drawImage(picture, 0, 0, canvas.width, canvas.height);
    });
    const under = $derived(over ? reference.pixel(over.x, over.y) : null);

    function place(e: PointerEvent) {
        if (!picture) return null;
        const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
        const k = picture.width / box.width;
        return { x: (e.clientX - box.left) * k, y: (e.clientY - box.top) * k };
    }
    async function pick(e: PointerEvent) {
        const at = place(e);
        const colour = at && reference.pixel(at.x, at.y);
        if (!colour) return;
        if (colours.edited) reference.picked = colour;
        else {
            const swatch = { id: hex(colour).slice(1), name: hex(colour), colour, group: '', tones: {}, note: '' };
            if (await colours.add({ tones: [], swatches: [swatch] })) colours.edited = colours.swatch;
        }
    }
    let moved: { x: number; y: number } | null = null;
    function move(e: PointerEvent) {
        if (!moved || e.buttons !== 1) return;
        reference.at.x = Math.max(0, e.clientX - moved.x);
        reference.at.y = Math.max(0, e.clientY - moved.y);
    }
    let from: { x: number; width: number } | null = null;
    function size(e: PointerEvent) {
        if (from && e.buttons === 1) reference.at.width = Math.min(900, Math.max(160, from.width + e.clientX - from.x));
    }
</script>

{#if picture}
    <section
        class="fixed z-30 overflow-hidden rounded-lg bg-base-100 shadow-xl ring-1 ring-base-300"
        style:left="{reference.at.x}px"
        style:top="{reference.at.y}px"
        style:width="{reference.at.width}px"
        aria-label="Reference picture"
    >
        <div
            class="flex cursor-move touch-none items-center gap-2 px-2.5 text-[12.5px]"
            style:height="{HEAD}px"
            role="presentation"
            onpointerdown={(e) => {
                moved = { x: e.clientX - reference.at.x, y: e.clientY - reference.at.y };
                e.currentTarget.setPointerCapture(e.pointerId);
            }}
            onpointermove={move}
        >
            <b class="truncate">{reference.name}</b>
            {#if under}
                <i class="size-4 shrink-0 rounded border border-black/25" style:background={hex(under)}></i>
                <span class="font-mono" data-testid="under-pointer">{hex(under)}</span>
            {:else}
                <span class="quiet truncate">click a pixel to take its colour</span>
            {/if}
            <button
                class="ml-auto cursor-pointer"
                aria-label="Close the reference picture"
                onpointerdown={(e) => e.stopPropagation()}
                onclick={() => reference.close()}><X size={15} /></button
            >
        </div>
        <canvas
            bind:this={canvas}
            class="block w-full cursor-crosshair"
            style:height="{height}px"
            data-testid="reference"
            onpointermove={(e) => (over = place(e))}
            onpointerleave={() => (over = null)}
            onpointerdown={pick}
        ></canvas>
        <span
            class="absolute right-0 bottom-0 size-4 cursor-nwse-resize touch-none bg-[linear-gradient(135deg,transparent_50%,var(--color-base-content)_50%)] opacity-60"
            role="presentation"
            onpointerdown={(e) => {
                from = { x: e.clientX, width: reference.at.width };
                e.currentTarget.setPointerCapture(e.pointerId);
            }}
            onpointermove={size}
        ></span>
    </section>
{/if}
