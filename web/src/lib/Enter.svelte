<script lang="ts">
    import { access } from './state/access.svelte';

    let key = $state('');
    let waits = $state(false);

    async function enter(e: SubmitEvent) {
        e.preventDefault();
        waits = true;
        await access.enter(key);
        waits = false;
        key = '';
    }
</script>

<main class="grid h-full place-items-center bg-base-200">
    <form class="grid w-[360px] gap-4 rounded-2xl bg-base-100 p-8 shadow-xl" onsubmit={enter}>
        <h1 class="font-head text-[26px] text-primary">Rhizograph</h1>
        <p class="text-[13.5px]">This server is shared in a network, and asks for its key.</p>
        <label class="grid gap-1 text-[13px]"
            >Key
            <!-- svelte-ignore a11y_autofocus -->
            <input
                class="input w-full"
                type="password"
                autocomplete="current-password"
                required
                maxlength="200"
                autofocus
                bind:value={key}
            />
        </label>
        {#if access.trouble}<p class="text-[13px] text-error first-letter:uppercase" role="alert">
                {access.trouble}
            </p>{/if}
        <button class="btn btn-primary" disabled={waits}>{waits ? 'Looking at the key …' : 'Come in'}</button>
        <p class="quiet text-[12.5px]">Whoever runs the server has it: it was told when the server first started.</p>
    </form>
</main>
