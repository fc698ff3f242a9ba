<script lang="ts">
    import Camera from '@lucide/svelte/icons/camera';
    import FileUp from '@lucide/svelte/icons/file-up';
    import Printer from '@lucide/svelte/icons/printer';
    import { deliver } from '../api';
    import { jobs } from '../state/jobs.svelte';
    import { shots } from '../state/shots.svelte';
    import Choice from './Choice.svelte';

    interface Props {
        /** Opens the choice of files. */
        onfiles: () => void;
    }
    const { onfiles }: Props = $props();
    const SHEETS = Array.from({ length: 8 }, (_, i) => i);
    let open = $state(false);
    let dialog: HTMLDialogElement;
    $effect(() => {
        if (open && !dialog.open) dialog.showModal();
        if (!open && dialog.open) dialog.close();
    });
    let device = $state<'feeder' | 'camera' | null>(null);
    let chosen = $state<number[]>(SHEETS);
    let dpi = $state<'150' | '300' | '600'>('300');
    let colour = $state<'colour' | 'grey'>('colour');

    export function show() {
        device = null;
        chosen = SHEETS;
        open = true;
    }

    function toggle(n: number) {
        chosen = chosen.includes(n) ? chosen.filter((c) => c !== n) : [...chosen, n].sort((a, b) => a - b);
    }

    function begin() {
        const shot = shots.shot;
        if (!shot || chosen.length === 0) return;
        const sheets = $state.snapshot(chosen);
        void jobs.begin(
            deliver(
                shot.id,
                device === 'camera'
                    ? { device: 'phone_camera', sheets }
                    : { device: 'sheet_feeder', sheets, dpi: Number(dpi), grey: colour === 'grey' },
            ),
        );
        open = false;
    }
    const plural = $derived(
        `${chosen.length} ${device === 'camera' ? 'photo' : 'sheet'}${chosen.length === 1 ? '' : 's'}`,
    );
</script>

<dialog bind:this={dialog} class="modal" onclose={() => (open = false)} aria-label="Bring in">
    {#if open}
        <div class="modal-box w-[470px] bg-base-100 p-5">
            <h2 class="text-[19px]">Bring into shot {shots.shot?.number ?? ''}</h2>
            <div class="mt-3 grid grid-cols-3 gap-2.5 text-[13px]">
                {#each [{ id: 'files', name: 'Files', icon: FileUp }, { id: 'feeder', name: 'Sheet feeder', icon: Printer }, { id: 'camera', name: 'Phone camera', icon: Camera }] as d (d.id)}
                    <button
                        class="flex cursor-pointer flex-col items-center gap-1.5 rounded-xl border px-2 py-3 {device ===
                        d.id
                            ? 'border-primary bg-primary text-primary-content'
                            : 'border-base-300 hover:bg-base-200'}"
                        aria-pressed={device === d.id}
                        onclick={() => {
                            if (d.id === 'files') {
                                open = false;
                                onfiles();
                            } else device = d.id as 'feeder' | 'camera';
                        }}><d.icon size={22} />{d.name}</button
                    >
                {/each}
            </div>
            {#if device === null}
                <p class="quiet mt-3 text-[13px]">
                    PNG, JPEG, TIFF or SVG; many at once come in the order of the numbers in their names. The two
                    devices are stand-ins: they deliver the demo's sheets.
                </p>
            {:else}
                <p class="quiet mt-3 text-[13px]">
                    {device === 'feeder'
                        ? 'Paper with peg holes, pencil and dust, a little askew on the glass.'
                        : 'The same sheets on a table: from the side, in window light, under a soft shadow.'}
                </p>
                <fieldset class="mt-3">
                    <legend class="text-[13px]">Stack of sheets</legend>
                    <div class="mt-1 flex gap-1.5">
                        {#each SHEETS as n (n)}
                            <button
                                class="h-9 flex-1 cursor-pointer rounded-md border text-[13px] {chosen.includes(n)
                                    ? 'border-primary bg-primary text-primary-content'
                                    : 'border-base-300 hover:bg-base-200'}"
                                aria-pressed={chosen.includes(n)}
                                aria-label="Sheet {n + 1}"
                                onclick={() => toggle(n)}>{n + 1}</button
                            >
                        {/each}
                    </div>
                </fieldset>
                {#if device === 'feeder'}
                    <Choice
                        label="Resolution"
                        value={dpi}
                        options={[
                            { value: '150', name: '150 dpi' },
                            { value: '300', name: '300 dpi' },
                            { value: '600', name: '600 dpi' },
                        ]}
                        onchoose={(v) => (dpi = v)}
                    />
                    <Choice
                        label="Scan in"
                        value={colour}
                        options={[
                            { value: 'colour', name: 'Colour' },
                            { value: 'grey', name: 'Grey' },
                        ]}
                        onchoose={(v) => (colour = v)}
                    />
                {/if}
                <div class="mt-4 flex justify-end gap-2">
                    <button class="btn btn-ghost btn-sm" onclick={() => (open = false)}>Cancel</button>
                    <button class="btn btn-primary btn-sm" disabled={chosen.length === 0} onclick={begin}
                        >{device === 'camera' ? `Take ${plural}` : `Feed ${plural}`}</button
                    >
                </div>
            {/if}
        </div>
    {/if}
    <form method="dialog" class="modal-backdrop"><button aria-label="Close">close</button></form>
</dialog>
