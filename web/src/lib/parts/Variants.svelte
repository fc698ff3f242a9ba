<script lang="ts">
    import { strip } from '../api';
    import { RunPicture } from '../canvas/runs';
    import { levelAt } from '../canvas/tiles';
    import { bench } from '../state/bench.svelte';
    import { settings } from '../state/inking.svelte';
    import { sheet } from '../state/sheet.svelte';
    import type { WeightRecipe } from '../types/WeightRecipe';

    /** Size of a variant on the screen. */
    const W = 140;
    const H = 84;
    interface Variant {
        name: string;
        weight: WeightRecipe;
    }
    const variants = $derived.by<Variant[]>(() => {
        const now = settings.weight;
        if (!now) return [];
        const at = (amount: number, name: string): Variant => ({ name, weight: { ...$state.snapshot(now), amount } });
        const placed = (placement: WeightRecipe['placement'], name: string): Variant => ({
            name,
            weight: { ...$state.snapshot(now), amount: Math.max(0.15, now.amount), placement },
        });
        return [
            at(-0.08, '−0.08 mm'),
            at(0, 'as lifted'),
            at(0.1, '+0.10 mm'),
            at(0.2, '+0.20 mm'),
            placed('outward', 'outward only'),
            placed('inward', 'inward only'),
        ];
    });
    let canvases = $state<(HTMLCanvasElement | null)[]>([]);
    let asked = '';
    let timer: ReturnType<typeof setTimeout> | undefined;

    /** The artist's own view: what stands in the middle of the canvas, at the zoom in use. */
    function seen() {
        const view = sheet.view;
        const camera = bench.camera;
        if (!view) return null;
        const level = levelAt(camera.scale);
        const k = 16 << level;
        const [w, h] = [W / camera.scale, H / camera.scale];
        const width = Math.min(view.width, Math.max(8, Math.round(w)));
        const height = Math.min(view.height, Math.max(8, Math.round(h)));
        const snap = (v: number, most: number) => Math.max(0, Math.min(most, Math.round(v / k) * k));
        const x = snap(camera.x - w / 2, view.width - width);
        const y = snap(camera.y - h / 2, view.height - height);
        return { x, y, width, height, level };
    }

    $effect(() => {
        const view = sheet.view;
        const window = seen();
        const inking = settings.inking;
        const weights = variants.map((v) => v.weight);
        if (!view || !window || !inking || settings.dragging) return;
        const key = JSON.stringify([view.info.id, window, weights, inking.lift, inking.by_hand]);
        if (key === asked) return;
        clearTimeout(timer);
        timer = setTimeout(() => {
            asked = key;
            void strip(view.info.id, { inking, window, weights })
                .then(([[width, height], pixels]) => {
                    let rest = pixels;
                    for (const canvas of canvases) {
                        const made = new RunPicture();
                        const size = { width, height, coloured: false };
                        rest = rest.subarray(made.show(size, rest, inking.lift.ink_colour));
                        const g = canvas?.getContext('2d');
                        if (!canvas || !g) continue;
                        g.fillStyle = '#fffdf7';
                        g.fillRect(0, 0, canvas.width, canvas.height);
                        g.imageSmoothingEnabled = bench.camera.scale < 3;
                        g.drawImage(made.canvas, 0, 0, canvas.width, canvas.height);
                    }
                })
                .catch(() => (asked = ''));
        }, 160);
    });
    const same = (a: WeightRecipe, b: WeightRecipe | null) =>
        !!b && Math.abs(a.amount - b.amount) < 0.003 && (a.placement === b.placement || a.amount === 0);
</script>

<p class="mt-3 text-[13px]">Your drawing as you look at it; click the one you want</p>
<div class="mt-1 grid grid-cols-2 gap-2" data-testid="variants">
    {#each variants as v, i (v.name)}
        <button
            class="cursor-pointer overflow-hidden rounded-md border text-[12px] {same(v.weight, settings.weight)
                ? 'border-secondary outline-2 outline-secondary'
                : 'border-base-300 hover:border-primary'}"
            aria-label="Take {v.name}"
            onclick={() => settings.setWeight(v.weight)}
        >
            <canvas bind:this={canvases[i]} width={2 * W} height={2 * H} class="block h-[84px] w-full"></canvas>
            <span class="block bg-base-200 py-0.5">{v.name}</span>
        </button>
    {/each}
</div>
