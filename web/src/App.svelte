<script lang="ts">
    import { onMount, untrack } from 'svelte';
    import { bind } from './lib/actions/bind';
    import { page } from './lib/api';
    import Enter from './lib/Enter.svelte';
    import Bench from './lib/Bench.svelte';
    import Background from './lib/parts/Background.svelte';
    import BringIn from './lib/parts/BringIn.svelte';
    import Devices from './lib/parts/Devices.svelte';
    import Keys from './lib/parts/Keys.svelte';
    import Notices from './lib/parts/Notices.svelte';
    import { follow, route } from './lib/state/route.svelte';
    import ShotTable from './lib/ShotTable.svelte';
    import { access } from './lib/state/access.svelte';
    import { bench } from './lib/state/bench.svelte';
    import { colours } from './lib/state/colours.svelte';
    import { findings } from './lib/state/findings.svelte';
    import { settings } from './lib/state/inking.svelte';
    import { lightTable } from './lib/state/lightTable.svelte';
    import { play } from './lib/state/play.svelte';
    import { people } from './lib/state/people.svelte';
    import { sheet } from './lib/state/sheet.svelte';
    import { shots } from './lib/state/shots.svelte';

    let bringIn: BringIn;
    let devices: Devices;
    const theme = localStorage.getItem('rhizograph.theme');
    if (theme === 'dusk') bench.theme = 'dusk';
    $effect(() => {
        document.documentElement.dataset.theme = bench.theme;
        localStorage.setItem('rhizograph.theme', bench.theme);
    });

    sheet.onSaved = (view) => shots.note(view.info);
    /** What is in hand when the page closes is sent all the same. */
    function leave() {
        page.closing = true;
        if (settings.pending) void settings.save();
        people.leave();
    }
    $effect(() => {
        const { place } = route;
        const shot = shots.current;
        untrack(() => people.go(shot, place.at === 'drawing' ? place.id : null));
    });
    sheet.beforeLeaving = () => (settings.pending ? settings.save() : Promise.resolve());

    $effect(() => colours.follow());
    $effect(() => {
        const place = route.place;
        untrack(() => {
            if (place.at !== 'drawing') return;
            if (bench.station !== place.station) bench.enter(place.station);
            if (sheet.view?.info.id !== place.id) {
                findings.at = null;
                void sheet.open(place.id);
            }
        });
    });
    /** Which drawing lies on the bench: the same through all its steps. */
    const lying = $derived(sheet.view?.info.id);
    /** Neighbours are flipped to at once: what is shown of them is fetched when the drawing has come. */
    const FETCHED_AFTER = 600;
    $effect(() => {
        void [lying, lightTable.flipped];
        if (lying === undefined || sheet.loading) return;
        const soon = setTimeout(() => untrack(() => lightTable.prepare()), FETCHED_AFTER);
        return () => clearTimeout(soon);
    });
    $effect(() => {
        void [lying, route.place.at];
        untrack(() => {
            play.stop();
            lightTable.leave();
        });
    });
    const shotOfLying = $derived(sheet.view?.shot);
    $effect(() => {
        void bench.station;
        const id = lying;
        untrack(() => {
            if (route.place.at === 'drawing' && id === route.place.id) {
                follow(id);
                findings.at = null;
                findings.only = null;
                findings.showLeft = false;
                findings.unfolded = false;
            }
        });
    });
    /** Whoever takes a tool to draw with lets go of the finding in hand: what is offered beside it would lie in the way. */
    const tool = $derived(bench.tool);
    $effect(() => {
        if (bench.station === 'join' && tool !== 'look') untrack(() => (findings.at = null));
    });
    $effect(() => {
        const shot = shotOfLying;
        if (shot && route.place.at === 'drawing') untrack(() => shots.look(shot));
    });

    onMount(() => void access.load());
    $effect(() => {
        if (access.locked) return;
        untrack(() => void shots.load());
    });

    onMount(bind);
</script>

<svelte:window
    onblur={() => {
        bench.blink = false;
        lightTable.flipTo(0);
    }}
    onpagehide={leave}
    onpageshow={() => {
        page.closing = false;
        people.go(shots.current, route.place.at === 'drawing' ? route.place.id : null);
    }}
/>

{#if access.locked}
    <Enter />
{:else if route.place.at === 'drawing'}
    <Bench onbringin={() => devices.show()} />
{:else}
    <ShotTable onbringin={() => devices.show()} />
{/if}
<BringIn bind:this={bringIn} />
<Devices bind:this={devices} onfiles={() => bringIn.choose()} />
<Background />
<Keys />
<Notices />
