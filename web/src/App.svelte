<script lang="ts">
    import { onMount, untrack } from 'svelte';
    import { tinykeys } from 'tinykeys';
    import { page } from './lib/api';
    import Bench from './lib/Bench.svelte';
    import Background from './lib/parts/Background.svelte';
    import BringIn from './lib/parts/BringIn.svelte';
    import Devices from './lib/parts/Devices.svelte';
    import Keys from './lib/parts/Keys.svelte';
    import Notices from './lib/parts/Notices.svelte';
    import { follow, go, route } from './lib/route.svelte';
    import ShotTable from './lib/ShotTable.svelte';
    import { bench, STATIONS, TOOLS, type Backdrop } from './lib/state/bench.svelte';
    import { alike } from './lib/state/alike.svelte';
    import { findings } from './lib/state/findings.svelte';
    import { settings } from './lib/state/inking.svelte';
    import { probe } from './lib/state/probe.svelte';
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
    }
    sheet.beforeLeaving = () => (settings.pending ? settings.save() : Promise.resolve());

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

    onMount(() => {
        void shots.load().then(() => {
            const first = shots.shot;
            if (first && shots.current === null) shots.look(first.id);
        });
    });

    const typing = (e: Event) =>
        !!(e.target as HTMLElement).closest(
            'input:not([type=range]):not([type=checkbox]):not([type=color]), textarea, select, [role=dialog], dialog',
        );
    const key =
        (f: (e: KeyboardEvent) => void, always = false) =>
        (e: KeyboardEvent) => {
            if (typing(e) || (!always && route.place.at !== 'drawing')) return;
            e.preventDefault();
            f(e);
        };
    const settle = (how: 'accept' | 'seam' | 'leave') =>
        key(() => {
            if (sheet.busy) return;
            if (probe.leak && how !== 'leave') void probe.close(how === 'accept' ? 'bridge' : 'seam');
            else if (findings.current) void findings.settle(findings.current, how);
        });
    function neighbour(by: 1 | -1) {
        const list = shots.shot?.drawings ?? [];
        const i = list.findIndex((d) => d.id === sheet.view?.info.id);
        const to = list[i + by];
        if (i >= 0 && to) go({ at: 'drawing', id: to.id, station: bench.station });
    }
    function nextOf<T>(list: T[], now: T): T {
        return list[(list.indexOf(now) + 1) % list.length] ?? now;
    }

    onMount(() => {
        const camera = bench.camera;
        const down = tinykeys(window, {
            ...Object.fromEntries(STATIONS.map((s) => [String(s.number).toLowerCase(), key(() => bench.enter(s.id))])),
            j: key(() => findings.step(1)),
            k: key(() => findings.step(-1)),
            a: settle('accept'),
            s: settle('seam'),
            x: settle('leave'),
            'Shift+X': key(() => findings.current && void alike.leaveLike(findings.current)),
            'Shift+A': key(() => bench.station === 'join' && findings.sure.length > 0 && void findings.settleSure()),
            q: key(() => (bench.blink = true)),
            w: key(() => settings.shown && (bench.wipe = bench.wipe === null ? 0.5 : null)),
            c: key(() => settings.shown && (bench.tint = !bench.tint)),
            '[': key(() => (bench.brush.size = Math.max(4, Math.round(bench.brush.size / 1.2)))),
            ']': key(() => (bench.brush.size = Math.min(400, Math.round(bench.brush.size * 1.2)))),
            b: key(
                () =>
                    (bench.backdrop = nextOf<Backdrop>(
                        ['paper', 'white', 'grey', 'black', 'checker', 'colour'],
                        bench.backdrop,
                    )),
            ),
            t: key(() => (bench.tool = nextOf(TOOLS[bench.station], bench.tool))),
            f: key(() => sheet.view && camera.fit(sheet.view.width, sheet.view.height)),
            '0': key(() => camera.zoom(1 / camera.scale)),
            '+': key(() => camera.zoom(1.25)),
            'Shift++': key(() => camera.zoom(1.25)),
            '=': key(() => camera.zoom(1.25)),
            '-': key(() => camera.zoom(0.8)),
            ',': key(() => neighbour(-1)),
            '.': key(() => neighbour(1)),
            Delete: key(() => void probe.takeSpan()),
            Escape: key(() => {
                probe.clear();
                bench.tool = 'look';
                findings.at = null;
                bench.chosen = [];
            }),
            'Shift+?': key(() => (bench.keysShown = true), true),
            '?': key(() => (bench.keysShown = true), true),
            '$mod+z': key(() => void sheet.undo()),
            '$mod+Shift+z': key(() => void sheet.redo()),
            '$mod+y': key(() => void sheet.redo()),
        });
        const up = tinykeys(window, { q: () => (bench.blink = false) }, { event: 'keyup' });
        return () => {
            down();
            up();
        };
    });
</script>

<svelte:window onblur={() => (bench.blink = false)} onpagehide={leave} onpageshow={() => (page.closing = false)} />

{#if route.place.at === 'drawing'}
    <Bench onbringin={() => devices.show()} />
{:else}
    <ShotTable onbringin={() => devices.show()} />
{/if}
<BringIn bind:this={bringIn} />
<Devices bind:this={devices} onfiles={() => bringIn.choose()} />
<Background />
<Keys />
<Notices />
