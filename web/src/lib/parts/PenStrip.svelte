<script lang="ts">
    import { inkedPath } from '../drawn/inked';
    import { sampleAt, shaped } from '../geometry/stroke';
    import { pen } from '../state/pen.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { inkColour } from '../tools/ink';
    import type { Sample } from '../types/Sample';

    let canvas: HTMLCanvasElement;
    /** What was tried on it; at first a stroke that is pressed harder and harder, then let go. */
    let tried = $state.raw<Sample[] | null>(null);
    let width = $state(0);
    let pointer: number | null = null;
    const HEIGHT = 64;
    /** The strip shows the sheet as it is at its own size. */
    const dpi = $derived(sheet.view?.dpi ?? 300);
    const scale = $derived(96 / dpi);

    const usual = $derived.by(() =>
        Array.from({ length: 121 }, (_, k): Sample => {
            const t = k / 120;
            const x = 12 + (width - 24) * t;
            const y = HEIGHT / 2 + 16 * Math.sin(6.5 * t);
            const quick = 300 * t + 40 * Math.sin(6.28 * t);
            return [x / scale, y / scale, Math.min(1, 1.9 * Math.sin(Math.PI * Math.pow(t, 1.4))), [50 * t, 0], quick];
        }),
    );

    $effect(() => {
        const g = canvas.getContext('2d');
        if (!g || width === 0) return;
        const ratio = window.devicePixelRatio || 1;
        canvas.width = Math.round(width * ratio);
        canvas.height = Math.round(HEIGHT * ratio);
        g.setTransform(ratio, 0, 0, ratio, 0, 0);
        g.clearRect(0, 0, width, HEIGHT);
        g.fillStyle = inkColour();
        const points = shaped(tried ?? usual, pen.on(dpi, scale));
        g.fill(inkedPath(points, (x, y) => [x * scale, y * scale], scale));
    });

    function sampleOf(e: PointerEvent): Sample {
        const box = canvas.getBoundingClientRect();
        return sampleAt([(e.clientX - box.left) / scale, (e.clientY - box.top) / scale], e);
    }

    function down(e: PointerEvent) {
        if (pointer !== null) return;
        pointer = e.pointerId;
        canvas.setPointerCapture(e.pointerId);
        tried = [sampleOf(e)];
    }

    function move(e: PointerEvent) {
        if (e.pointerId !== pointer) return;
        const all = e.getCoalescedEvents();
        tried = [...(tried ?? []), ...(all.length ? all : [e]).map(sampleOf)];
    }

    const up = (e: PointerEvent) => e.pointerId === pointer && (pointer = null);
</script>

<div class="mt-3">
    <div class="flex items-baseline justify-between text-[13px]">
        <span>The pen</span><span class="quiet text-[12px]">try it here</span>
    </div>
    <div class="mt-1 rounded-lg border border-base-300 bg-[#fffdf7]" bind:clientWidth={width}>
        <canvas
            bind:this={canvas}
            class="block touch-none rounded-lg"
            style:width="{width}px"
            style:height="{HEIGHT}px"
            style:cursor="crosshair"
            aria-label="A strip to try the pen on"
            onpointerdown={down}
            onpointermove={move}
            onpointerup={up}
            onpointercancel={up}
        ></canvas>
    </div>
</div>
