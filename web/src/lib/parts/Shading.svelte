<script lang="ts">
    import { colours } from '../state/colours.svelte';
    import { sheet } from '../state/sheet.svelte';

    /** Where the light comes from, degrees, as the small sun stands; and how deep shades are, mm. */
    let light = $state(-135);
    let depth = $state(3);
    const tone = $derived(colours.shade);
    const toneName = $derived(colours.tones.find((t) => t.id === tone)?.name.toLowerCase() ?? 'tone');
    const sun = $derived([Math.cos((light * Math.PI) / 180), Math.sin((light * Math.PI) / 180)] as const);

    function turn(e: PointerEvent) {
        if (e.type === 'pointermove' && e.buttons !== 1) return;
        const box = (e.currentTarget as HTMLElement).getBoundingClientRect();
        const [x, y] = [e.clientX - box.left - box.width / 2, e.clientY - box.top - box.height / 2];
        light = Math.round((Math.atan2(y, x) * 180) / Math.PI / 5) * 5;
    }
</script>

<div
    class="absolute bottom-[74px] left-1/2 flex -translate-x-1/2 items-center gap-3 rounded-[14px] bg-base-100 px-3 py-2 text-[13px] whitespace-nowrap shadow-lg"
    role="group"
    aria-label="Shading"
>
    <button
        class="relative size-10 cursor-pointer touch-none rounded-full border border-base-300 bg-base-200"
        aria-label="Direction of the light: {light} degrees"
        title="Drag the sun to where the light comes from; arrow keys turn it"
        onpointerdown={turn}
        onpointermove={turn}
        onkeydown={(e) => {
            const by = e.key === 'ArrowLeft' ? -5 : e.key === 'ArrowRight' ? 5 : 0;
            if (by) [light] = [((light + by + 540) % 360) - 180];
        }}
    >
        <i class="absolute inset-0 m-auto size-4 rounded-full bg-base-300" aria-hidden="true"></i>
        <i
            class="absolute size-3 rounded-full bg-secondary"
            aria-hidden="true"
            style:left="{14 + 15 * sun[0]}px"
            style:top="{14 + 15 * sun[1]}px"
        ></i>
    </button>
    <label class="flex items-center gap-1.5"
        >deep
        <input class="range range-xs w-24" type="range" min="0.5" max="12" step="0.5" bind:value={depth} />
        <span class="w-14 tabular-nums">{depth.toFixed(1)} mm</span></label
    >
    <button
        class="btn btn-sm btn-outline btn-primary"
        disabled={!tone || sheet.busy}
        title="A first proposal: every painted region that has a {toneName} is parted by its own border, moved towards the light"
        onclick={() => tone && sheet.do({ of: 'paint', do: 'shade', light, depth, tone })}
        >Give all their {toneName}</button
    >
</div>
