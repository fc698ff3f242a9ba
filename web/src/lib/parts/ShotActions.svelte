<script lang="ts">
    import * as api from '../api';
    import { outgo } from '../state/handOff.svelte';
    import { jobs } from '../state/jobs.svelte';
    import { tellError } from '../state/notices.svelte';
    import { go } from '../state/route.svelte';
    import type { ShotInfo } from '../types/ShotInfo';

    /** What is done to a whole shot, each with its count. */
    const { shot }: { shot: ShotInfo } = $props();
    const drawings = $derived(shot.drawings);
    const unlifted = $derived(drawings.filter((d) => !d.progress.lifted));
    /** By its settings the others are lifted. */
    const model = $derived(drawings.find((d) => d.progress.lifted) ?? drawings[0]);
    const sure = $derived(drawings.reduce((n, d) => n + d.progress.sure, 0));
    const painted = $derived(drawings.find((d) => d.progress.painted > d.progress.carried));
    const unpainted = $derived.by(() => {
        const behind = painted ? drawings.slice(drawings.indexOf(painted) + 1) : [];
        return behind.filter((d) => d.progress.lifted && d.progress.painted < d.progress.regions);
    });
    let asking = $state(false);
    const n = (count: number, one: string) => `${count} ${one}${count === 1 ? '' : 's'}`;

    async function begin(what: () => Promise<number>) {
        asking = true;
        await jobs.begin(what());
        asking = false;
    }

    async function lift() {
        if (!model) return Promise.reject(new Error('there is no drawing in this shot yet'));
        const { recipes } = await api.drawing(model.id);
        const { lift, weight, trace } = recipes;
        return api.liftShot(shot.id, { lift, weight, trace });
    }

    async function carry() {
        if (!painted) return;
        try {
            await api.carry(painted.id, 'after');
            await jobs.load(shot.id);
        } catch (e) {
            tellError(e);
        }
    }

    /** The whole shot goes out: its first drawing shows where. */
    function handOff() {
        const [first] = drawings;
        if (!first) return;
        outgo.picked = drawings.map((d) => d.id);
        go({ at: 'drawing', id: first.id, station: 'hand-off' });
    }
</script>

<div class="flex flex-wrap items-center gap-2" role="group" aria-label="The whole shot">
    {#if unlifted.length > 0}
        <button
            class="btn btn-primary btn-sm"
            disabled={asking}
            title="Lift, weigh and trace all that are not, by the settings of {model?.name}"
            onclick={() => void begin(lift)}>Lift {n(unlifted.length, 'drawing')}</button
        >
    {/if}
    <button
        class="btn btn-sm {sure > 0 && unlifted.length === 0 ? 'btn-primary' : 'btn-outline btn-primary'}"
        disabled={asking || sure === 0}
        title="In all drawings; what it did is told, and undone in one go"
        onclick={() => void begin(() => api.settleShot(shot.id))}
        >Settle {sure === 0 ? 'sure ones' : n(sure, 'sure one')}</button
    >
    <button
        class="btn btn-outline btn-primary btn-sm"
        disabled={unpainted.length === 0}
        title={painted ? `From ${painted.name} on to those behind it` : 'Paint one drawing first'}
        onclick={() => void carry()}
        >Carry paint{unpainted.length > 0 ? ` to ${n(unpainted.length, 'drawing')}` : ''}</button
    >
    <button
        class="btn btn-outline btn-primary btn-sm"
        title="Goes to Hand off with all drawings of the shot"
        onclick={handOff}>Hand off {n(drawings.length, 'drawing')}</button
    >
</div>
