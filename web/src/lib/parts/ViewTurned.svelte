<script lang="ts">
    import Mirrored from '@lucide/svelte/icons/triangles-centerline-dashed-vertical';
    import RotateCcw from '@lucide/svelte/icons/rotate-ccw';
    import RotateCw from '@lucide/svelte/icons/rotate-cw';
    import { bench } from '../state/bench.svelte';

    const { camera } = bench;
    const degrees = $derived(Math.round((camera.turn * 180) / Math.PI));
</script>

<span class="flex shrink-0 items-center gap-1 border-l border-base-300 pl-2">
    <button
        class="cursor-pointer"
        title="Turn the view by 15° ( ( )"
        aria-label="Turn the view to the left"
        onclick={() => camera.turnInSteps(-1)}><RotateCcw size={15} /></button
    >
    <button
        class="min-w-8 cursor-pointer text-center tabular-nums {camera.isUpright ? 'quiet' : 'font-bold text-primary'}"
        title="The view neither turned nor mirrored (L)"
        onclick={() => camera.level()}>{degrees}°</button
    >
    <button
        class="cursor-pointer"
        title="Turn the view by 15° ( ) )"
        aria-label="Turn the view to the right"
        onclick={() => camera.turnInSteps(1)}><RotateCw size={15} /></button
    >
    <button
        class="ml-1.5 shrink-0 cursor-pointer {camera.mirrored ? 'text-primary' : ''}"
        aria-pressed={camera.mirrored}
        title="Mirror the view (M)"
        aria-label="Mirror the view"
        onclick={() => camera.mirror()}><Mirrored size={15} strokeWidth={camera.mirrored ? 2.75 : 2} /></button
    >
</span>
