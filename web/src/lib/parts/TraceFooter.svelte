<script lang="ts">
    import { liftShot } from '../api';
    import { bench } from '../state/bench.svelte';
    import { settings } from '../state/inking.svelte';
    import { jobs } from '../state/jobs.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';

    const view = $derived(sheet.view);
    const others = $derived((shots.shot?.drawings.length ?? 0) > 1);
    let sure = $state(false);
    const changed = $derived(view?.lines.count((l) => l.made === 'edited' || l.made === 'bridge') ?? 0);
    const untouched = $derived(view?.lines.count((l) => l.made === 'traced') ?? 0);
    const lines = (n: number) => `${n} line${n === 1 ? '' : 's'}`;

    function trace(afresh: boolean) {
        sure = false;
        void (async () => {
            // What could not be saved is not traced with.
            if (!(await settings.save())) return;
            if (await sheet.do({ of: 'trace', do: 'trace', afresh })) bench.enter('join');
        })();
    }

    function toShot() {
        void (async () => {
            if (!(await settings.save())) return;
            const [shot, now] = [shots.shot, sheet.view];
            if (!shot || !now) return;
            const { lift, weight, trace } = now.recipes;
            // Points set by hand stay this drawing's own.
            await jobs.begin(liftShot(shot.id, { lift: { ...lift, points: null }, weight, trace }));
        })();
    }
</script>

{#if view}
    <div class="border-t border-base-300 bg-base-200 px-4 py-2.5">
        {#if sure}
            <p class="mb-2 text-[13px]">
                Tracing all afresh takes {changed} bridge{changed === 1 ? '' : 's'} and changed lines away, too. Undo brings
                them back.
            </p>
            <div class="flex gap-2">
                <button class="btn btn-primary btn-sm" onclick={() => trace(true)}>Trace all afresh</button>
                <button class="btn btn-sm btn-ghost" onclick={() => (sure = false)}>Keep them</button>
            </div>
        {:else}
            {#if view.stale}<p class="mb-1.5 text-[12.5px]">
                    The lines are older than these settings. Tracing again replaces {lines(untouched)} nobody touched{view.handmade >
                    0
                        ? `; ${view.handmade} made or changed by hand stay`
                        : ''}.
                </p>
            {:else if view.traced}<p class="quiet mb-1.5 text-[12.5px]">
                    Lifted and traced: {lines(view.lines.size)}{view.handmade > 0
                        ? `, ${view.handmade} of them made or changed by hand`
                        : ''}.
                </p>{/if}
            {#if view.traced && changed > 0}<button
                    class="link mb-1.5 block text-[12.5px]"
                    disabled={sheet.busy}
                    onclick={() => (sure = true)}>Trace all afresh …</button
                >{/if}
            <div class="flex gap-2">
                {#if view.traced && !view.stale}
                    <button class="btn btn-primary btn-sm flex-1" onclick={() => bench.enter('join')}
                        >Go on to Join</button
                    >
                {:else}
                    <button
                        class="btn btn-primary btn-sm flex-1"
                        disabled={!!settings.trouble || sheet.busy}
                        onclick={() => trace(false)}
                        >{view.traced ? 'Trace again' : bench.station === 'trace' ? 'Trace' : 'Lift and trace'}</button
                    >
                {/if}
                {#if others}
                    <button
                        class="btn btn-outline btn-primary btn-sm"
                        disabled={jobs.running || !!settings.trouble}
                        title="Lift and trace all drawings of the shot with these settings, in the background. Points stay each drawing's own; drawings with bridges or cut lines are left as they are."
                        onclick={toShot}>To the whole shot</button
                    >
                {/if}
            </div>
        {/if}
    </div>
{/if}
