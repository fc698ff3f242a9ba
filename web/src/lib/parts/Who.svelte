<script lang="ts">
    import { access } from '../state/access.svelte';
    import { bench } from '../state/bench.svelte';
    import { COLOURS, people } from '../state/people.svelte';
    import { go } from '../state/route.svelte';
    import { shots } from '../state/shots.svelte';
    import Face from './Face.svelte';

    /** More are counted. */
    const MOST = 4;
    let name = $state('');
    let menu: HTMLDetailsElement;
    const me = $derived(people.me);
    const where = (drawing: number | null) => shots.listed(drawing ?? undefined)?.name;

    function save(e: SubmitEvent) {
        e.preventDefault();
        void people.introduce(name.trim(), me.colour);
        menu.open = false;
    }
</script>

<svelte:window
    onpointerdown={(e) => {
        if (menu.open && !menu.contains(e.target as Node)) menu.open = false;
    }}
/>

<div class="flex items-center" data-testid="people">
    {#if access.told.role === 'look'}<span class="pill mr-2 shrink-0" title="Nothing can be changed with this key"
            >looking</span
        >{/if}
    {#each people.others.slice(0, MOST) as p (p.author)}
        {@const at = where(p.drawing)}
        <button
            class="-mr-1 cursor-pointer disabled:cursor-default"
            disabled={p.drawing === null}
            title="{people.nameOf(p)}{at ? ` is on ${at}` : ''}"
            aria-label="{people.nameOf(p)}{at ? `, on ${at}` : ''}"
            onclick={() => p.drawing !== null && go({ at: 'drawing', id: p.drawing, station: bench.station })}
            ><Face name={p.name} colour={people.colourOf(p)} /></button
        >
    {/each}
    {#if people.others.length > MOST}<span class="quiet pl-2 text-[12.5px]">+{people.others.length - MOST}</span>{/if}
    <details class="dropdown dropdown-end ml-1" bind:this={menu} ontoggle={() => (name = me.name)}>
        <summary
            class="cursor-pointer list-none rounded-full p-1"
            title={me.name ? `You: ${me.name}` : 'Say who you are'}
            aria-label="Who you are"><Face name={me.name} colour="rgb({me.colour.join(',')})" /></summary
        >
        <form
            class="dropdown-content z-40 mt-1 grid w-[250px] gap-3 rounded-xl bg-base-100 p-4 shadow-xl ring-1 ring-base-300"
            onsubmit={save}
        >
            <label class="grid gap-1 text-[13px]"
                >Your name
                <input class="input input-sm w-full" maxlength="40" placeholder="as others see it" bind:value={name} />
            </label>
            <div class="flex justify-between" role="radiogroup" aria-label="Your colour">
                {#each COLOURS as c (c.join())}
                    <button
                        type="button"
                        role="radio"
                        aria-checked={c.join() === me.colour.join()}
                        aria-label="Colour {COLOURS.indexOf(c) + 1}"
                        class="size-[22px] cursor-pointer rounded-full {c.join() === me.colour.join()
                            ? 'ring-2 ring-secondary ring-offset-2'
                            : ''}"
                        style:background="rgb({c.join(',')})"
                        onclick={() => void people.introduce(name.trim(), c)}
                    ></button>
                {/each}
            </div>
            <button class="btn btn-primary btn-sm">Save</button>
            {#if access.told.guarded}
                <button type="button" class="btn btn-ghost btn-sm" onclick={() => void access.leave()}
                    >Leave this server</button
                >
            {/if}
        </form>
    </details>
</div>
