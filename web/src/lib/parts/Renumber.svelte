<script lang="ts">
    import { renameDrawings } from '../api';
    import { shots } from '../state/shots.svelte';
    import type { ShotInfo } from '../types/ShotInfo';

    interface Props {
        shot: ShotInfo;
        ondone: () => void;
    }
    const { shot, ondone }: Props = $props();
    const first = $derived(/^(.*?)(\d+)\D*$/.exec(shot.drawings[0]?.name ?? ''));
    let before = $derived(first?.[1] ?? 'A-');
    let from = $derived(1);
    let step = $derived(1);
    let digits = $derived(first?.[2]?.length ?? 2);
    const names = $derived(
        shot.drawings.map((d, n) => ({
            id: d.id,
            name: before + String(from + n * step).padStart(digits, '0'),
        })),
    );
    const few = $derived(names.slice(0, 3).map((n) => n.name));
    const last = $derived(names[names.length - 1]?.name);

    async function save(e: SubmitEvent) {
        e.preventDefault();
        if (await shots.arrange(renameDrawings(shot.id, names))) ondone();
    }
</script>

<svelte:window onkeydown={(e) => e.key === 'Escape' && ondone()} />
<form class="mb-3 flex flex-wrap items-end gap-3 rounded-xl bg-base-200 px-4 py-3 text-[13px]" onsubmit={save}>
    <label class="grid gap-1"
        >Before the number <input class="input input-sm w-[110px]" maxlength="40" bind:value={before} /></label
    >
    <label class="grid gap-1"
        >First <input
            class="input input-sm w-[80px]"
            type="number"
            min="0"
            max="99999"
            required
            bind:value={from}
        /></label
    >
    <label class="grid gap-1"
        >Step <input
            class="input input-sm w-[70px]"
            type="number"
            min="1"
            max="100"
            required
            bind:value={step}
        /></label
    >
    <label class="grid gap-1"
        >Digits <input
            class="input input-sm w-[70px]"
            type="number"
            min="1"
            max="8"
            required
            bind:value={digits}
        /></label
    >
    <span class="quiet flex-1 pb-1.5" data-testid="numbers">{few.join(', ')}{names.length > 3 ? ` … ${last}` : ''}</span
    >
    <button class="btn btn-primary btn-sm">Renumber {names.length} as they hang</button>
    <button type="button" class="btn btn-ghost btn-sm" onclick={ondone}>Cancel</button>
</form>
