<script lang="ts">
    import { tick } from 'svelte';
    import * as api from '../api';
    import { shots } from '../state/shots.svelte';
    import type { AwayTold } from '../types/AwayTold';
    import type { ProductionInfo } from '../types/ProductionInfo';
    import type { ShotInfo } from '../types/ShotInfo';

    /** The productions and their shots, with what was put away at the foot. */
    let away = $state<AwayTold[] | null>(null);
    /** What is being named: a new shot, a new production, or something that is there. */
    type Naming =
        | { what: 'new shot'; of: number }
        | { what: 'new production' }
        | { what: 'shot' | 'copy shot'; of: number }
        | { what: 'production' | 'copy production'; of: number };
    let naming = $state<Naming | null>(null);
    let number = $state('');
    let name = $state('');
    const isOfShot = $derived(naming?.what.includes('shot') ?? false);
    const share = (s: ShotInfo) =>
        s.drawings.length === 0
            ? '–'
            : `${Math.round((s.drawings.filter((d) => d.ready).length / s.drawings.length) * 100)} %`;
    const TITLES = {
        'new shot': 'Add the shot',
        'new production': 'Add the production',
        shot: 'Rename the shot',
        production: 'Rename the production',
        'copy shot': 'Copy colours and settings',
        'copy production': 'Copy its shots, bare',
    };

    /** Begins to name something; what it is called now is there to be changed. */
    export function ask(what: Naming, now: { number?: string; name?: string } = {}) {
        naming = what;
        number = now.number ?? '';
        name = now.name ?? '';
    }

    export function askNewShot() {
        const of = shots.production?.id;
        ask(of === undefined ? { what: 'new production' } : { what: 'new shot', of });
    }

    async function save(e: SubmitEvent) {
        e.preventDefault();
        const now = naming;
        if (!now) return;
        const [n, called] = [number.trim(), name.trim()];
        let made: number | null = null;
        const keep = async (what: Promise<number>) => {
            made = await what;
        };
        const doing = {
            'new shot': () => now.what === 'new shot' && keep(api.addShot(now.of, n, called)),
            'new production': () => api.addProduction(called),
            shot: () => now.what === 'shot' && api.renameShot(now.of, n, called),
            'copy shot': () => now.what === 'copy shot' && keep(api.copyShot(now.of, n, called)),
            production: () => now.what === 'production' && api.renameProduction(now.of, called),
            'copy production': () => now.what === 'copy production' && api.copyProduction(now.of, called),
        }[now.what];
        if (!(await shots.arrange(Promise.resolve(doing())))) return;
        naming = null;
        if (made !== null) shots.look(made);
    }

    async function putAway(what: 'shot' | 'production', id: number) {
        await shots.arrange(api.setAway(what, id, true));
        if (away) await showAway();
        await tick();
    }

    async function showAway() {
        await shots.arrange(api.away().then((list) => (away = list)));
    }

    async function back(a: AwayTold) {
        await shots.arrange(api.setAway(a.what, a.id, false));
        await showAway();
    }
    const mine = (p: ProductionInfo) => p.shots.some((s) => s.id === shots.shot?.id);
</script>

<nav class="flex flex-col overflow-y-auto border-r border-base-300 bg-base-200" aria-label="Shots">
    {#each shots.productions as p (p.id)}
        <div class="flex flex-wrap items-baseline gap-x-3 px-4 pt-4 pb-2">
            <h2 class="basis-full truncate text-[17px]">{p.name}</h2>
            {#if mine(p) || p.shots.length === 0}
                <button
                    class="quiet link-hover cursor-pointer text-[12.5px]"
                    onclick={() => ask({ what: 'production', of: p.id }, { name: p.name })}>rename</button
                >
                <button
                    class="quiet link-hover cursor-pointer text-[12.5px]"
                    title="A new production with these shots, their colours and settings, without drawings"
                    onclick={() => ask({ what: 'copy production', of: p.id })}>copy</button
                >
                <button
                    class="quiet link-hover cursor-pointer text-[12.5px]"
                    onclick={() => void putAway('production', p.id)}>put away</button
                >
            {/if}
        </div>
        {#each p.shots as s (s.id)}
            {@const isHere = s.id === shots.shot?.id}
            <div
                class="border-t border-base-300 {isHere
                    ? 'bg-base-100 shadow-[inset_4px_0_0_var(--color-secondary)]'
                    : ''}"
            >
                <button
                    class="flex w-full cursor-pointer items-center justify-between px-4 py-2 text-left"
                    aria-current={isHere ? 'true' : undefined}
                    onclick={() => shots.look(s.id)}
                >
                    <span class="leading-tight"
                        ><b>{s.number}</b>
                        {s.name}<small class="quiet block text-[12px]"
                            >{s.drawings.length === 0
                                ? 'empty'
                                : `${s.drawings.length} drawing${s.drawings.length === 1 ? '' : 's'} · ${s.drawings.filter((d) => d.ready).length} ready`}</small
                        ></span
                    ><b class="text-[13px]">{share(s)}</b>
                </button>
                {#if isHere}
                    <div class="flex gap-3 px-4 pb-2 text-[12.5px]">
                        <button
                            class="quiet link-hover cursor-pointer"
                            onclick={() => ask({ what: 'shot', of: s.id }, s)}>rename</button
                        >
                        <button
                            class="quiet link-hover cursor-pointer"
                            title="A new shot with these colours and settings"
                            onclick={() => ask({ what: 'copy shot', of: s.id })}>copy</button
                        >
                        <button class="quiet link-hover cursor-pointer" onclick={() => void putAway('shot', s.id)}
                            >put away</button
                        >
                    </div>
                {/if}
            </div>
        {/each}
    {/each}
    {#if naming}
        <form class="grid gap-2 border-t border-base-300 p-4" onsubmit={save}>
            {#if isOfShot}
                <!-- svelte-ignore a11y_autofocus -->
                <input
                    class="input input-sm w-full"
                    placeholder="Number, 014"
                    required
                    maxlength="20"
                    autofocus
                    bind:value={number}
                />
            {/if}
            <input class="input input-sm w-full" placeholder="Name" required maxlength="60" bind:value={name} />
            <div class="flex gap-2">
                <button class="btn btn-primary btn-sm flex-1">{TITLES[naming.what]}</button>
                <button type="button" class="btn btn-ghost btn-sm" onclick={() => (naming = null)}>Cancel</button>
            </div>
        </form>
    {/if}
    <span class="flex-1"></span>
    <div class="flex gap-4 border-t border-base-300 px-4 py-2.5 text-[12.5px]">
        <button class="quiet link-hover cursor-pointer" onclick={() => ask({ what: 'new production' })}
            >New production</button
        >
        <button
            class="quiet link-hover cursor-pointer"
            aria-expanded={away !== null}
            onclick={() => (away ? (away = null) : void showAway())}>Put away</button
        >
    </div>
    {#if away}
        <ul class="border-t border-base-300 px-4 py-2 text-[12.5px]" aria-label="Put away">
            {#each away as a (`${a.what} ${a.id}`)}
                <li class="flex items-center gap-2 py-0.5">
                    <span class="flex-1 truncate" title="{a.name}{a.of ? `, ${a.of}` : ''}"
                        ><b>{a.name}</b> <span class="quiet">{a.of || a.what}</span></span
                    >
                    <button class="link cursor-pointer" onclick={() => void back(a)}>bring back</button>
                </li>
            {:else}
                <li class="quiet">Nothing is put away.</li>
            {/each}
        </ul>
    {/if}
</nav>
