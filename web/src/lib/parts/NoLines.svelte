<script lang="ts">
    import { bench } from '../state/bench.svelte';

    const { station, missing }: { station: string; missing: string } = $props();
</script>

<div class="p-4">
    <h2 class="text-[17px]">{station}</h2>
    <p class="quiet mt-1 text-[13px]">There are no {missing} yet. Lift the ink off the paper and trace it first.</p>
    <button class="btn btn-primary btn-sm mt-3" onclick={() => bench.enter('lift')}>Go to Lift</button>
</div>
