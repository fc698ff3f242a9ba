<script lang="ts">
    import { bench } from '../state/bench.svelte';
    import { colours } from '../state/colours.svelte';
    import { findings } from '../state/findings.svelte';
    import { lightTable } from '../state/lightTable.svelte';
    import { play } from '../state/play.svelte';
    import { settings } from '../state/inking.svelte';
    import { pen } from '../state/pen.svelte';
    import { probe } from '../state/probe.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import { toolOf, use } from '../tools';
    import type { Pt } from '../types/Pt';
    import type { Sample } from '../types/Sample';
    import { dragGuide, dropGuide, edgeAt, type GuideGrip, guideGripAt } from './guides';
    import { InHand } from './inHand.svelte';
    import { Picture } from './picture.svelte';
    import { sampleAt } from '../geometry/stroke';
    import { findingAt, regionAt } from '../drawn/under';

    interface Drag {
        kind: 'pan' | 'stroke' | 'wipe' | 'handle' | 'guide' | 'shift';
        last: Pt;
        handle?: number;
        guide?: GuideGrip;
    }

    let canvas: HTMLCanvasElement;
    let over: HTMLCanvasElement | undefined;
    const { camera } = bench;
    const picture = new Picture();
    picture.follow();
    const inHand = new InHand();
    inHand.follow(
        () => over,
        () => picture.ratio,
    );
    let space = $state(false);
    /** What is dragged, by one pointer: others do not disturb it. */
    let drag: (Drag & { pointer: number; isPen: boolean }) | null = null;
    let press: Pt = [0, 0];
    const tool = $derived(toolOf(bench.tool));
    const cursor = $derived.by(() => {
        if (space) return 'grab';
        if (lightTable.shifting) return 'move';
        const edge = inHand.hover && edgeAt(inHand.hover);
        return edge ? (edge === 'top' ? 'row-resize' : 'col-resize') : tool.cursor;
    });
    /** How near to what is dragged it is taken, and how far a click may stray, px of the screen. */
    const GRASP = { wipe: 14, handle: 18 };
    const STRAY = 4;
    /** How far the wheel turns the view, radians for each px of scrolling. */
    const TURNS = Math.PI / 2400;

    function place(e: PointerEvent | WheelEvent): Pt {
        const box = canvas.getBoundingClientRect();
        return [e.clientX - box.left, e.clientY - box.top];
    }

    const apart = (a: Pt, b: Pt) => Math.hypot(a[0] - b[0], a[1] - b[1]);

    /** Fingers on the canvas, by pointer; two of them pan, zoom and turn, and draw nothing. */
    const fingers: Record<number, Pt> = {};
    const pair = () => Object.values(fingers).slice(0, 2);
    /** A pen was seen: fingers and palms beside it never draw. */
    let hasPen = false;

    /** Two fingers went from where they were to where they are. */
    function pinched(was: Pt[], now: Pt[]) {
        const [a, b, c, d] = [...was, ...now];
        if (!a || !b || !c || !d) return;
        const middle = (p: Pt, q: Pt): Pt => [(p[0] + q[0]) / 2, (p[1] + q[1]) / 2];
        const [from, to] = [middle(a, b), middle(c, d)];
        camera.pan(to[0] - from[0], to[1] - from[1]);
        camera.zoom(apart(c, d) / Math.max(1, apart(a, b)), to);
        const lean = (p: Pt, q: Pt) => Math.atan2(q[1] - p[1], q[0] - p[0]);
        camera.turnBy(lean(c, d) - lean(a, b), to);
    }

    function finger(e: PointerEvent): boolean {
        if (e.pointerType !== 'touch') return false;
        fingers[e.pointerId] = place(e);
        if (pair().length < 2) return hasPen;
        // What one finger began is given up.
        if (!drag?.isPen) letGo();
        return true;
    }

    function liftFinger(e: PointerEvent) {
        if (pair().length === 2 && e.pointerId in fingers) camera.settle(place(e));
        delete fingers[e.pointerId];
    }

    function down(e: PointerEvent) {
        const isPen = e.pointerType === 'pen';
        hasPen ||= isPen;
        if (finger(e)) return;
        // A hand or a mouse beside the pen draws nothing; the pen takes over from a hand that was laid down first.
        if (isOther(e) && (drag?.isPen || !isPen)) return;
        letGo();
        bench.free = e.ctrlKey;
        const at = place(e);
        const begun = grasped(e, at);
        if (!begun) return;
        canvas.setPointerCapture(e.pointerId);
        drag = { ...begun, pointer: e.pointerId, isPen };
        if (begun.kind === 'stroke') begin(e);
        press = at;
    }

    /** What a pointer that is set down at a place would drag. */
    function grasped(e: PointerEvent, at: Pt): Drag | null {
        const tools = e.button === 0 && !space;
        // Whoever draws wants to see the drawing in hand.
        if (tools && play.running) play.stop();
        if (tools && lightTable.shifting) return { kind: 'shift', last: at };
        const wipe = settings.shown ? bench.wipe : null;
        const handles = tool.handles?.at() ?? [];
        const handle = handles.findIndex((c) => apart(camera.toScreen(c), at) < GRASP.handle);
        if (handle >= 0 && tools) return { kind: 'handle', last: at, handle };
        const guide = tools ? guideGripAt(at) : null;
        if (guide) return { kind: 'guide', last: at, guide };
        if (wipe !== null && Math.abs(at[0] - wipe * camera.width) < GRASP.wipe && tools)
            return { kind: 'wipe', last: at };
        if (e.button === 1 || space || (tool.pans && (bench.tool === 'look' || handles.length > 0)))
            return { kind: 'pan', last: at };
        return e.button === 0 ? { kind: 'stroke', last: at } : null;
    }

    const isOther = (e: PointerEvent) => drag !== null && e.pointerId !== drag.pointer;

    function move(e: PointerEvent) {
        if (e.pointerId in fingers && pair().length === 2) {
            const was = pair();
            fingers[e.pointerId] = place(e);
            pinched(was, pair());
            return;
        }
        if (isOther(e)) return;
        const at = place(e);
        bench.free = e.ctrlKey;
        inHand.hover = at;
        if (!drag) return;
        if (drag.kind === 'pan') camera.pan(at[0] - drag.last[0], at[1] - drag.last[1]);
        else if (drag.kind === 'shift') {
            const [from, to] = [camera.toSheet(drag.last), camera.toSheet(at)];
            const [x, y] = lightTable.shift;
            lightTable.shift = [x + to[0] - from[0], y + to[1] - from[1]];
        } else if (drag.kind === 'wipe') bench.wipe = Math.min(0.98, Math.max(0.02, at[0] / camera.width));
        else if (drag.guide) dragGuide(drag.guide, at, e.shiftKey);
        else if (drag.kind === 'handle') tool.handles?.move(drag.handle ?? 0, camera.toSheet(at));
        else {
            // A pen tells more often than the page is drawn.
            if (tool.straightens && apart(at, stillAt) > STRAY) waitForStill(at);
            const all = e.getCoalescedEvents();
            lengthen((all.length ? all : [e]).map(sampleOf), e);
            const isFree = inHand.samples.length > 2;
            inHand.ahead = isFree ? e.getPredictedEvents().map(sampleOf) : [];
            inHand.movedAt ||= e.timeStamp;
        }
        drag.last = at;
    }

    const sampleOf = (e: PointerEvent) => sampleAt(camera.toSheet(place(e)), e);
    const placeOn = ([x, y]: Sample): Pt => [x, y];

    /** The pointer was held still: the stroke is straight from then on. */
    let isStraight = false;
    let still: ReturnType<typeof setTimeout> | undefined;
    let stillAt: Pt = [0, 0];
    /** How long a stroke is at least for that, px of the screen. */
    const STROKE = 24;
    /** So much later than asked the page was busy: what the pointer did meanwhile is yet to come, ms. */
    const LATE = 100;

    /** Waits for the pointer to be held still at a place of the screen. */
    function waitForStill(at: Pt) {
        clearTimeout(still);
        stillAt = at;
        const held = pen.straightens;
        if (held === Infinity) return;
        const due = performance.now() + held;
        still = setTimeout(() => {
            if (performance.now() > due + LATE) return waitForStill(at);
            const last = inHand.samples[inHand.samples.length - 1];
            if (drag?.kind !== 'stroke' || !last || apart(at, press) < STROKE) return;
            isStraight = true;
            lengthen([last], { shiftKey: false, altKey: false });
        }, held);
    }

    function begin(e: PointerEvent) {
        isStraight = false;
        inHand.how = { inSteps: e.shiftKey, fromCentre: e.altKey };
        inHand.samples = [sampleOf(e)];
        inHand.stroke = inHand.samples.map(placeOn);
    }

    /** Takes the stroke on, as the tool wants it while Shift is held. */
    function lengthen(more: Sample[], keys: { shiftKey: boolean; altKey: boolean }) {
        const [first] = inHand.samples;
        const last = more[more.length - 1];
        if (!first || !last) return;
        const how = { inSteps: keys.shiftKey, fromCentre: keys.altKey };
        inHand.how = how;
        if ((how.inSteps || how.fromCentre || isStraight) && tool.held) {
            const path = tool.held(placeOn(first), placeOn(last), how);
            const end = path[path.length - 1] ?? placeOn(last);
            inHand.samples = [
                first,
                [end[0], end[1], first[2] === null ? null : Math.max(first[2], last[2] ?? 0), first[3], last[4]],
            ];
            inHand.stroke = path;
        } else {
            inHand.samples = [...inHand.samples, ...more];
            inHand.stroke = [...inHand.stroke, ...more.map(placeOn)];
        }
        tool.grows?.(inHand.stroke, inHand.samples, how);
    }

    function up(e: PointerEvent) {
        liftFinger(e);
        if (isOther(e)) return;
        const at = place(e);
        const was = drag;
        const path = inHand.stroke;
        inHand.ahead = [];
        clearTimeout(still);
        drag = null;
        const isClick = apart(at, press) < STRAY;
        if (was?.kind === 'pan' && isClick && e.button === 0 && !space) pickFinding(at);
        else if (was?.guide) dropGuide(was.guide, at);
        else if (was?.kind === 'stroke') {
            sheet.actedAt = e.timeStamp;
            // It stays in sight until what it did is there.
            const done = use(path, inHand.samples, isClick, { inSteps: e.shiftKey, fromCentre: e.altKey });
            // What stays by itself until it is there gives way to the next stroke at once.
            if (tool.keepsWet) drop();
            void done.finally(() => {
                sheet.actedAt = 0;
                if (inHand.stroke === path) {
                    drop();
                    probe.landing = null;
                }
            });
        }
    }

    function drop() {
        clearTimeout(still);
        [inHand.stroke, inHand.samples, inHand.ahead] = [[], [], []];
    }

    /** Gives up what is dragged. */
    function letGo() {
        if (drag?.kind === 'stroke') {
            drop();
            tool.gaveUp?.();
        }
        drag = null;
    }

    /** Takes the finding at a place in hand; at Paint the region there will do. */
    function pickFinding(at: Pt) {
        let finding = findingAt(camera, at);
        if (!finding && bench.station === 'paint') {
            const region = regionAt(camera.toSheet(at));
            finding = findings.listed.find((f) => f.region === region?.id);
        }
        findings.at = finding?.id ?? null;
    }

    function wheel(e: WheelEvent) {
        e.preventDefault();
        if (e.altKey) camera.turnBy(e.deltaY * TURNS, place(e));
        else camera.zoom(Math.exp(-e.deltaY * (e.ctrlKey ? 0.01 : 0.0016)), place(e));
    }

    function watch(node: HTMLCanvasElement) {
        canvas = node;
        node.addEventListener('wheel', wheel, { passive: false });
        return picture.attach(node);
    }

    function key(e: KeyboardEvent, isDown: boolean) {
        if (e.code !== 'Space' || (e.target as HTMLElement).closest('input, textarea, button, dialog')) return;
        e.preventDefault();
        space = isDown;
    }
</script>

<svelte:window onkeydown={(e) => key(e, true)} onkeyup={(e) => key(e, false)} onblur={() => (space = false)} />

<canvas
    use:watch
    class="absolute inset-0 size-full touch-none"
    style:cursor
    aria-label="The drawing"
    data-glance={picture.glanced}
    data-instead={(play.drawing ?? lightTable.flipped) ? picture.insteadOf : 0}
    data-waiting={sheet.waiting + (sheet.loading ? 1 : 0) + (settings.pending ? 1 : 0)}
    onpointerdown={down}
    onpointermove={move}
    onpointerup={up}
    onpointercancel={(e) => {
        liftFinger(e);
        if (!isOther(e)) letGo();
    }}
    onpointerleave={() => (inHand.hover = null)}
></canvas>
<canvas bind:this={over} class="pointer-events-none absolute top-0 left-0 origin-top-left" aria-hidden="true"></canvas>
{#if inHand.hover && bench.tool === 'fill' && colours.paint}
    <span
        class="pointer-events-none absolute size-4 rounded-full border-2 border-white"
        style:left="{inHand.hover[0] + 12}px"
        style:top="{inHand.hover[1] + 12}px"
        style:background={shots.colours.get(colours.paint)}
    ></span>
{/if}
