<script lang="ts">
    import type { Points } from '../types/Points';

    interface Props {
        classes: number[];
        points: Points;
        onmove: (points: Points) => void;
        /** `soon`: moved by keys, where more presses may follow. */
        onsave: (soon: boolean) => void;
    }
    const { classes, points, onmove, onsave }: Props = $props();
    const W = 292;
    const H = 58;
    let box: HTMLElement;
    let held: keyof Points | null = null;

    // Ink stands at the left, as it is the darker; paper at the right.
    const x = (cover: number) => (1 - cover) * W;
    const TABS: { key: keyof Points; name: string; step: number }[] = [
        { key: 'ink', name: 'ink', step: 0.01 },
        { key: 'mid', name: 'mid', step: 0.01 },
        { key: 'paper', name: 'paper', step: 0.01 },
    ];

    function limited(key: keyof Points, v: number): Points {
        const p = { ...points, [key]: v };
        if (key === 'ink') p.ink = Math.min(1, Math.max(0.1, v, points.mid + 0.05));
        if (key === 'mid') p.mid = Math.min(0.95, Math.max(0.05, v), points.ink - 0.05);
        if (key === 'paper') p.paper = Math.min(0.95, Math.max(0.01, v));
        for (const k of ['ink', 'mid', 'paper'] as const) p[k] = Math.round(p[k] * 1000) / 1000;
        return p;
    }

    function move(e: PointerEvent) {
        if (!held) return;
        const r = box.getBoundingClientRect();
        onmove(limited(held, 1 - (e.clientX - r.left) / r.width));
    }

    function nudge(e: KeyboardEvent, key: keyof Points) {
        const by = e.key === 'ArrowLeft' ? 0.01 : e.key === 'ArrowRight' ? -0.01 : 0;
        if (!by) return;
        e.preventDefault();
        onmove(limited(key, points[key] + by));
        onsave(true);
    }
</script>

<div bind:this={box} class="relative mt-1 mb-1" style:height="{H + 24}px" data-testid="histogram">
    <svg
        viewBox="0 0 {W} {H}"
        preserveAspectRatio="none"
        class="absolute inset-x-0 top-0 w-full rounded-t-lg bg-base-200"
        style:height="{H}px"
        aria-hidden="true"
    >
        {#each classes as v, i (i)}
            <rect
                x={x((i + 1) / classes.length)}
                y={H - v * (H - 4)}
                width={W / classes.length - 0.6}
                height={v * (H - 4)}
                fill="#5E8577"
                opacity="0.75"
            />
        {/each}
    </svg>
    {#each TABS as tab (tab.key)}
        <div
            class="pointer-events-none absolute top-0 border-l-2 border-dotted border-base-content"
            style:left="{(1 - points[tab.key]) * 100}%"
            style:height="{H}px"
        ></div>
        <button
            type="button"
            role="slider"
            aria-label="{tab.name} point"
            aria-valuemin={0}
            aria-valuemax={100}
            aria-valuenow={Math.round(points[tab.key] * 100)}
            title="{tab.name} point: {Math.round(points[tab.key] * 100)} % of full ink"
            class="absolute -translate-x-1/2 cursor-ew-resize touch-none rounded-full bg-primary px-2 text-[12px] leading-[19px] font-semibold text-primary-content"
            style:top="{H + 2}px"
            style:left="{Math.min(94, Math.max(5, (1 - points[tab.key]) * 100))}%"
            onpointerdown={(e) => {
                held = tab.key;
                e.currentTarget.setPointerCapture(e.pointerId);
            }}
            onpointermove={move}
            onpointerup={() => {
                held = null;
                onsave(false);
            }}
            onkeydown={(e) => nudge(e, tab.key)}>{tab.name}</button
        >
    {/each}
</div>
