<script lang="ts">
    import { untrack } from 'svelte';
    import { pixel } from '../api';
    import { bench } from '../state/bench.svelte';
    import { findings } from '../state/findings.svelte';
    import { settings } from '../state/inking.svelte';
    import { intake } from '../state/intake.svelte';
    import { probe } from '../state/probe.svelte';
    import { tellError } from '../state/notices.svelte';
    import { sheet } from '../state/sheet.svelte';
    import { shots } from '../state/shots.svelte';
    import type { Finding } from '../types/Finding';
    import type { LineView } from '../types/LineView';
    import type { Pt } from '../types/Pt';
    import type { RegionView } from '../types/RegionView';
    import type { Shown } from '../shown';
    import { COUNT_CELL, type Colours, Counts, hatching, markDistance, marks, seam } from './marks';
    import { around, type Box } from './box';
    import { Camera } from './camera.svelte';
    import { Glance } from './glance';
    import * as overlays from './overlays';
    import { levelAt, Tiles } from './tiles';

    let canvas: HTMLCanvasElement;
    let inHand: HTMLCanvasElement | undefined;
    let frame = 0;
    let inHandFrame = 0;
    let ratio = $state(1);
    let space = $state(false);
    /** A stroke being drawn with a tool, in sheet pixels. */
    let stroke = $state<Pt[]>([]);
    /** What is to be drawn again: all, or what lies in a box of the sheet. */
    let part: Box | 'all' | null = 'all';
    const mend = (box: Box) => {
        if (part !== 'all') part = around(part, box);
    };
    /** What the canvas was last drawn by, and which finding was in hand. */
    let drawnBy: unknown[] = [];
    let marked: Finding | null = null;
    let counted = false;
    let drag: { kind: 'pan' | 'stroke' | 'wipe' | 'corner'; last: Pt; corner?: number } | null = null;
    let hover = $state<Pt | null>(null);
    let stale = $state(0);

    const camera = bench.camera;
    const again = () => {
        part = 'all';
        stale++;
    };
    const tiles = new Tiles(({ x, y, width, height }) => {
        mend([x, y, x + width, y + height]);
        stale++;
    });
    const glance = new Glance(again, (told, trouble) =>
        settings.hear(told?.facts ?? null, told?.trade ?? null, told?.trace ?? null, trouble),
    );
    /** The drawing whose ink the canvas shows. */
    let glanced = $state(0);
    const inking = $derived(settings.shown);
    const squaring = $derived(bench.station === 'intake' && bench.tool === 'corners' && bench.corners !== null);
    const painting = $derived(bench.tool === 'touch' || bench.tool === 'area');
    const painted = $derived(bench.station === 'weight' ? ('weight' as const) : bench.effect);

    /** The lines of a kind in a box of the sheet. */
    const linesIn = (box: Box, which: (l: LineView) => boolean, margin = 0) =>
        (sheet.view?.lines.within(box, margin) ?? []).filter(which);
    const isSpine = (l: LineView) => l.kind === 'centreline';
    const isSeam = (l: LineView) => l.kind === 'seam';
    const isHandmade = (l: LineView) => l.made === 'bridge' || l.made === 'hand';
    const regionOf = (id: number | null) => (id === null ? undefined : sheet.view?.regions.get(id));
    /** Paths are made when they are first drawn, and stay as long as what they are of. */
    const paths = new WeakMap<Shape, Path2D>();
    interface Shape {
        path: string;
    }

    function pathOf(shape: Shape): Path2D {
        let path = paths.get(shape);
        if (!path) paths.set(shape, (path = new Path2D(shape.path)));
        return path;
    }

    /** The part of the sheet that is drawn now. */
    let drawn: Box = [0, 0, 0, 0];
    /** How far a mark reaches around its place, and a count around its part of the canvas, screen pixels. */
    const MARGIN = 60;
    const COUNT_MARGIN = 16;
    const tally = new Counts();

    /** Clips to what is to be drawn again. */
    function clipTo(g: CanvasRenderingContext2D, box: Box | 'all' | null, here: Finding[] | null) {
        let [left, top, right, low]: Box = [0, 0, camera.width, camera.height];
        if (box === 'all' || box === null) tally.clear();
        else [left, top, right, low] = [...camera.toScreen([box[0], box[1]]), ...camera.toScreen([box[2], box[3]])];
        let margin = MARGIN;
        if (counted) {
            // A count stands for all of its part of the canvas.
            [left, top, right, low] = Counts.around([left, top, right, low]);
            const [a, b] = [camera.toSheet([left, top]), camera.toSheet([right, low])];
            tally.recount(camera, [left, top, right, low], here && box === 'all' ? here : near([...a, ...b], 0));
            margin = COUNT_MARGIN;
        }
        [left, top] = [Math.max(0, Math.floor(left - margin)), Math.max(0, Math.floor(top - margin))];
        [right, low] = [
            Math.min(camera.width, Math.ceil(right + margin)),
            Math.min(camera.height, Math.ceil(low + margin)),
        ];
        g.setTransform(ratio, 0, 0, ratio, 0, 0);
        g.beginPath();
        g.rect(left, top, Math.max(0, right - left), Math.max(0, low - top));
        g.clip();
        drawn = [...camera.toSheet([left, top]), ...camera.toSheet([right, low])];
    }
    const middles = $derived(
        (settings.traced?.lines ?? []).map((l) => ({ solid: l.kind === 'outline', path: new Path2D(l.path) })),
    );
    const colourOf = $derived(new Map((shots.shot?.swatches ?? []).map((s) => [s.id, `rgb(${s.colour.join(',')})`])));
    const cursor = $derived(
        space || bench.tool === 'look'
            ? 'grab'
            : bench.tool === 'sample' || bench.tool === 'pick'
              ? 'copy'
              : bench.tool === 'choose'
                ? 'pointer'
                : 'crosshair',
    );

    /** Marks lie on the sheet, which stays light in both themes. */
    const c: Colours = {
        gap: '#DE9F27',
        tail: '#6A4A80',
        end: '#CB4B36',
        leak: '#3B6FA5',
        seam: '#2F5D50',
        line: '#2A2822',
        paper: '#F7F2E6',
    };

    function checker(g: CanvasRenderingContext2D): CanvasPattern | null {
        const tile = document.createElement('canvas');
        tile.width = tile.height = 20;
        const t = tile.getContext('2d');
        if (!t) return null;
        t.fillStyle = '#fff';
        t.fillRect(0, 0, 20, 20);
        t.fillStyle = '#dcdad4';
        t.fillRect(0, 0, 10, 10);
        t.fillRect(10, 10, 10, 10);
        return g.createPattern(tile, 'repeat');
    }

    const BACKDROPS = {
        paper: '#fffdf7',
        white: '#ffffff',
        grey: '#8d8d8d',
        black: '#000000',
        checker: '',
        colour: '',
    };

    /** What the sheet casts on the desk, px of the screen. */
    const SHADOW = { blur: 14, down: 3 };

    /** Puts a context on the sheet: its units are the sheet's pixels. `left`, `top`: where its canvas lies in the view. */
    function onto(g: CanvasRenderingContext2D, left = 0, top = 0) {
        const s = camera.scale * ratio;
        g.setTransform(
            s,
            0,
            0,
            s,
            (camera.width / 2 - camera.x * camera.scale - left) * ratio,
            (camera.height / 2 - camera.y * camera.scale - top) * ratio,
        );
    }

    /** The size of what lies on the canvas: the sheet, or the original while its corners are moved. */
    function lying(): { id: number; width: number; height: number } | null {
        const view = sheet.view;
        if (!view) return null;
        const [width, height] = squaring ? view.original : [view.width, view.height];
        return { id: view.info.id, width, height };
    }

    /** A number that changes when the sheet is laid out otherwise. */
    const layoutVersion = $derived.by(() => {
        let n = 7;
        for (const c of JSON.stringify(sheet.view?.recipes.intake ?? {})) n = (n * 31 + c.charCodeAt(0)) | 0;
        return n >>> 0;
    });

    /** Findings that are marked one by one; more are counted. */
    const MOST_MARKS = 350;
    /** From afar they always are. */
    const FAR = 0.16;

    /** The findings listed that come as near to a box of the sheet as so many pixels of the screen. */
    function near(box: Box, reach: number): Finding[] {
        const listed = findings.whichListed();
        const found = sheet.view?.findings.within(box, reach / camera.scale) ?? [];
        return found.filter((f) => f.kind !== 'unpainted' && listed(f));
    }
    /** Nothing of the page shows through the canvas: it is composed without blending. */
    const pen = () => canvas.getContext('2d', { alpha: false });
    /** How long after a step the next finding is prepared, ms: what the step changed comes first. */
    const PREPARE_AFTER = 40;
    let regionsTold = false;
    /** The step whose answer was drawn as soon as it was there. */
    let answered = 0;
    let desk = { theme: '', colour: '' };

    /** `inFrame`: the browser is just making the next frame. */
    function draw(inFrame: boolean) {
        if (inFrame) frame = 0;
        const g = pen();
        if (!g) return;
        const now = findings.current;
        if (now !== marked) {
            for (const f of [now, marked]) {
                if (!f) continue;
                mend(around([...f.at, ...f.at], [...(f.to ?? f.at), ...(f.to ?? f.at)]));
                const region = regionOf(f.region);
                if (region) mend(region.bounds);
            }
            marked = now;
        }
        const changed = sheet.takeChanged();
        // Far out, or where they would hide one another, marks are counted.
        const all = (): Box => [...camera.toSheet([0, 0]), ...camera.toSheet([camera.width, camera.height])];
        const here = camera.scale < FAR ? null : near(all(), COUNT_CELL);
        const count = here === null || here.length > MOST_MARKS;
        if (changed === 'all' || count !== counted || inking) part = 'all';
        else if (changed) mend(changed);
        counted = count;
        g.save();
        clipTo(g, part, here);
        part = null;
        drawPart(g, inFrame);
        g.restore();
    }

    /** Tells how long a step took up to the frame that shows it: this one, or else the next. */
    function tellShown(name: string, inFrame: boolean) {
        const start = sheet.toShow;
        const tell = () => performance.measure(name, { start });
        if (inFrame) tell();
        else requestAnimationFrame(tell);
    }

    function drawPart(g: CanvasRenderingContext2D, inFrame: boolean) {
        const view = sheet.view;
        g.setTransform(ratio, 0, 0, ratio, 0, 0);
        // Asking for it makes the page lay itself out.
        if (desk.theme !== bench.theme) {
            desk = { theme: bench.theme, colour: getComputedStyle(canvas).getPropertyValue('--desk') || '#bdb8ad' };
        }
        g.fillStyle = desk.colour;
        g.fillRect(0, 0, camera.width, camera.height);
        const lies = lying();
        if (!view || !lies) return;
        const onSheet = () => onto(g);
        const onScreen = () => g.setTransform(ratio, 0, 0, ratio, 0, 0);
        const [left, top] = camera.toScreen([0, 0]);
        const [right, low] = camera.toScreen([lies.width, lies.height]);
        g.save();
        const edge = SHADOW.blur + SHADOW.down;
        const inside = left < -edge && top < -edge && right > camera.width + edge && low > camera.height + edge;
        // A shadow costs the more the larger the sheet is, seen or not.
        if (!inside) [g.shadowColor, g.shadowBlur, g.shadowOffsetY] = ['#0003', SHADOW.blur, SHADOW.down];
        g.fillStyle =
            bench.backdrop === 'checker'
                ? (checker(g) ?? '#fff')
                : bench.backdrop === 'colour'
                  ? bench.anyColour
                  : BACKDROPS[bench.backdrop];
        g.fillRect(left, top, right - left, low - top);
        g.restore();

        const showOriginal = bench.blink || bench.station === 'intake';
        const showInk = !showOriginal && !inking;
        let inkShown = false;
        const caught = bench.station === 'lift' && settings.watched === 'drop-out';
        const wipeX = inking && bench.wipe !== null && !showOriginal ? bench.wipe * camera.width : null;
        g.save();
        g.beginPath();
        g.rect(left, top, right - left, low - top);
        g.clip();
        // The original lies under a tint, under what is caught, and where no picture has come yet.
        const under = inking && (bench.tint || caught || !glance.told || glance.wish?.drawing !== view.info.id);
        if (showOriginal || wipeX !== null || under) {
            g.save();
            if (wipeX !== null && !under) {
                g.beginPath();
                g.rect(0, 0, wipeX, camera.height);
                g.clip();
            }
            onSheet();
            if (squaring) tiles.draw(g, camera, lies, 'raw', () => 0, ratio);
            else tiles.draw(g, camera, lies, 'original', () => layoutVersion, ratio);
            g.restore();
        }
        if (!showOriginal) {
            g.save();
            if (wipeX !== null) {
                g.beginPath();
                g.rect(wipeX, 0, camera.width, camera.height);
                g.clip();
            }
            onSheet();
            if (!inking && bench.station !== 'weight') paintRegions(g, view);
            if (inking && (view.lift !== null || view.trouble)) drawGlance(g, caught);
            else inkShown = tiles.draw(g, camera, lies, 'ink', (w) => sheet.inkVersion(w), ratio);
            g.restore();
        }
        g.restore();
        onScreen();

        if (!showOriginal) {
            if (bench.station === 'join') {
                g.save();
                onSheet();
                if (camera.scale > NEAR) middleHairs(g);
                g.restore();
                onScreen();
            }
            if (!inking) for (const s of linesIn(drawn, isSeam)) seam(g, camera, pathOf(s), c);
            if (counted) tally.draw(g, c);
            else marks(g, camera, near(drawn, MARGIN), c, findings.current);
            const now = findings.current;
            if (now?.kind === 'unpainted') outlineRegion(g, now.region);
        }
        drawOver(g);
        // The original is a key away, and lies under what is caught.
        if (bench.station === 'lift' && inking && glance.wish?.exact) {
            tiles.warm(camera, lies, 'original', () => layoutVersion, ratio);
        }
        if (sheet.toShow > 0 && showInk) {
            // Regions and marks are there; the ink that changed may still be on its way.
            if (!regionsTold) tellShown('edit to regions', inFrame);
            regionsTold = true;
            if (inkShown) {
                tellShown('edit to ink', inFrame);
                sheet.toShow = 0;
                regionsTold = false;
            }
        }
        if (wipeX !== null) {
            g.fillStyle = '#2a2822';
            g.fillRect(wipeX - 1, 0, 2, camera.height);
        }
    }

    /** The middles of lines are drawn from this scale on. */
    const NEAR = 0.9;
    /** How far each of the two hairs of a middle lies beside it, px of the screen; where many are in view one does. */
    const HAIR_ASIDE = 0.3;
    const MANY_MIDDLES = 150;

    /** Two hairs side by side: of hundreds of long curves a broader stroke takes many times as long. */
    function middleHairs(g: CanvasRenderingContext2D) {
        g.strokeStyle = '#5E8577';
        g.globalAlpha = 0.9;
        g.lineWidth = 1 / (camera.scale * ratio);
        const paths = linesIn(drawn, isSpine).map(pathOf);
        const aside = HAIR_ASIDE / camera.scale;
        for (const by of paths.length > MANY_MIDDLES ? [0] : [-aside, 2 * aside]) {
            g.translate(by, by);
            for (const path of paths) g.stroke(path);
        }
    }

    function paintRegions(g: CanvasRenderingContext2D, view: Shown) {
        if (bench.station !== 'paint' && view.info.progress.painted === 0) return;
        const hatch = bench.station === 'paint' ? hatching('#CB4B36') : null;
        hatch?.setTransform(new DOMMatrix().scale(1 / camera.scale));
        const left = new Set(findings.left.map((f) => f.region));
        for (const r of view.regions.within(drawn)) {
            const fill = r.swatch ? colourOf.get(r.swatch) : undefined;
            if (!fill && !hatch) continue;
            const path = pathOf(r);
            if (fill) {
                g.fillStyle = fill;
                g.fill(path, 'evenodd');
                // Two fills that meet under a line would let a hair of the backdrop through.
                g.strokeStyle = fill;
                g.lineWidth = 1;
                g.stroke(path);
            } else if (hatch && !left.has(r.id)) {
                g.fillStyle = hatch;
                g.fill(path, 'evenodd');
            }
        }
    }

    function outlineRegion(g: CanvasRenderingContext2D, region: number | null) {
        const shape = regionOf(region);
        if (!shape) return;
        const path = pathOf(shape);
        g.save();
        const s = camera.scale;
        g.transform(s, 0, 0, s, camera.width / 2 - camera.x * s, camera.height / 2 - camera.y * s);
        for (const [width, colour] of [
            [6, '#2A2822'],
            [4, '#DE9F27'],
            [1.5, '#2A2822'],
        ] as const) {
            g.lineWidth = width / s;
            g.strokeStyle = colour;
            g.stroke(path);
        }
        g.restore();
    }

    /** What belongs to the work at Intake, Lift and Weight. */
    function drawOver(g: CanvasRenderingContext2D) {
        const view = sheet.view;
        if (!view) return;
        const size: [number, number] = [view.width, view.height];
        if (bench.blink) return;
        if (bench.station === 'lift') {
            if (bench.showArea && bench.tool === 'touch') {
                overlays.areas(g, onto, view.by_hand, ['more', 'less', 'none', 'erase'], size);
            }
            const facts = settings.facts;
            if (settings.watched === 'points' && settings.trade) {
                overlays.tradeMarks(g, camera, settings.trade.lost, settings.trade.left);
            }
            if (settings.watched === 'specks' && facts) overlays.dots(g, camera, facts.specks, 'going');
            if (settings.watched === 'pinholes' && facts) overlays.dots(g, camera, facts.pinholes, 'going');
            if (bench.tool === 'protect') overlays.dots(g, camera, view.by_hand.protected, 'protected');
        }
        if (bench.station === 'join') {
            if (probe.leak?.leak) overlays.leakWay(g, camera, probe.leak.leak);
            if (probe.span) {
                g.save();
                onto(g);
                overlays.chosenLines(g, [new Path2D(probe.span.path)], camera.scale);
                g.restore();
            }
        }
        if (bench.station === 'trace' && bench.showMiddles && settings.traced) {
            g.save();
            onto(g);
            overlays.middles(g, middles, camera.scale);
            g.restore();
        }
        if (bench.station === 'weight') {
            if (bench.showArea && bench.tool === 'area') overlays.areas(g, onto, view.by_hand, ['weight'], size);
            if (bench.chosen.length > 0) {
                g.save();
                onto(g);
                const chosen = bench.chosen.map((id) => view.lines.get(id)).filter((l) => l !== undefined);
                overlays.chosenLines(g, chosen.map(pathOf), camera.scale);
                g.restore();
            }
        }
    }

    /** How far what is in hand is drawn beyond its points, and in what steps its canvas grows, px of the screen. */
    const HAND_MARGIN = 16;
    const HAND_STEP = 64;

    /** The part of the view that what is in hand is drawn on, `null` if there is nothing. */
    function boxInHand(): Box | null {
        if (!sheet.view) return null;
        const whole: Box = [0, 0, camera.width, camera.height];
        const { tool } = bench;
        if (bench.station === 'intake') {
            const drawing = stroke.length > 0 && (tool === 'level' || tool === 'crop' || tool === 'marks');
            return (squaring && bench.corners) || drawing ? whole : null;
        }
        const points = stroke.map((p) => camera.toScreen(p));
        if (painting && hover) points.push(hover);
        if (points.length < (painting ? 1 : 2)) return null;
        if (tool === 'seam' && probe.landing) points.push(...probe.landing.ends.map((p) => camera.toScreen(p)));
        const margin = HAND_MARGIN + (painting ? (bench.brush.size * camera.scale) / 2 : 0);
        const [x0, y0, x1, y1] = points.map(([x, y]): Box => [x, y, x, y]).reduce(around);
        const [left, top] = [Math.max(0, Math.floor(x0 - margin)), Math.max(0, Math.floor(y0 - margin))];
        const [right, low] = [Math.min(camera.width, x1 + margin), Math.min(camera.height, y1 + margin)];
        return left < right && top < low ? [left, top, right, low] : null;
    }

    /**
     * What follows the pointer lies on a canvas of its own, no larger than it must be: moving it costs nothing of the
     * picture under it, and the browser composes only its part of the view.
     */
    function drawInHand() {
        inHandFrame = 0;
        const g = inHand?.getContext('2d');
        if (!g || !inHand) return;
        const box = boxInHand();
        inHand.hidden = box === null;
        if (!box) return;
        const [left, top, right, low] = box;
        const size = (n: number) => Math.ceil(n / HAND_STEP) * HAND_STEP;
        const [width, height] = [size(right - left), size(low - top)];
        if (inHand.width !== Math.round(width * ratio) || inHand.height !== Math.round(height * ratio)) {
            inHand.width = Math.round(width * ratio);
            inHand.height = Math.round(height * ratio);
            inHand.style.width = `${width}px`;
            inHand.style.height = `${height}px`;
        }
        inHand.style.transform = `translate(${left}px, ${top}px)`;
        g.setTransform(ratio, 0, 0, ratio, -left * ratio, -top * ratio);
        g.clearRect(left, top, width, height);
        drawnInHand(g, left, top);
    }

    /** Draws it on a canvas that lies at a place of the view. */
    function drawnInHand(g: CanvasRenderingContext2D, left: number, top: number) {
        const [from, to] = [stroke[0], stroke[stroke.length - 1]];
        const { tool } = bench;
        if (bench.station === 'intake') {
            if (squaring && bench.corners) overlays.cornerHandles(g, camera, bench.corners);
            else if (from && to && (tool === 'level' || tool === 'crop' || tool === 'marks'))
                overlays.intakeStroke(g, camera, tool, from, to);
        } else if (painting) overlays.brushInHand(g, camera, stroke, hover, bench.brush, painted);
        else if (tool === 'seam' && probe.landing) {
            g.save();
            onto(g, left, top);
            overlays.seamToBe(g, new Path2D(probe.landing.path), camera.scale);
            g.restore();
            overlays.landings(g, camera, probe.landing);
        } else if (tool === 'cut') overlays.cutOut(g, camera, stroke);
        else drawStroke(g);
    }

    const LOUD = [214, 0, 122] as const;
    const CAUGHT = [0, 92, 230] as const;

    /** What is seen now, widened when nothing is dragged so that panning has something to show. */
    function windowSeen(view: { width: number; height: number }, level: number) {
        const k = 64 << level;
        const more = settings.dragging ? 0 : 0.25;
        const [x0, y0] = camera.toSheet([-more * camera.width, -more * camera.height]);
        const [x1, y1] = camera.toSheet([(1 + more) * camera.width, (1 + more) * camera.height]);
        const x = Math.max(0, Math.floor(x0 / k) * k);
        const y = Math.max(0, Math.floor(y0 / k) * k);
        const width = Math.min(view.width, Math.ceil(x1 / k) * k) - x;
        const height = Math.min(view.height, Math.ceil(y1 / k) * k) - y;
        return { x, y, width, height, level };
    }

    function drawGlance(g: CanvasRenderingContext2D, caught: boolean) {
        const view = sheet.view;
        const now = settings.inking;
        if (!view || !now) return;
        // At Lift the ink is shown as it is lifted, before its weight is changed.
        const inking = bench.station === 'lift' ? { ...now, weight: { ...now.weight, amount: 0 } } : now;
        const level = levelAt(camera.scale * ratio);
        const window = windowSeen(view, level);
        if (window.width > 0 && window.height > 0) {
            const trace = bench.station === 'trace' ? $state.snapshot(settings.trace) : null;
            const wish = { drawing: view.info.id, inking, window, exact: !settings.dragging, caught, trace };
            glance.ask(wish, settings.movedAt);
            settings.movedAt = settings.dragging ? settings.movedAt : 0;
        }
        const shown = glance.wish;
        if (!shown || shown.drawing !== view.info.id || shown.caught !== caught) return;
        if ((shown.trace !== null) !== (bench.station === 'trace')) return;
        const drawn = settings.lift?.as_drawn ?? false;
        const colour = caught ? CAUGHT : bench.tint ? LOUD : drawn ? null : (settings.lift?.ink_colour ?? LOUD);
        const picture = glance.in(colour);
        if (!picture) return;
        glanced = shown.drawing;
        const w = shown.window;
        g.imageSmoothingEnabled = camera.scale * ratio < 3;
        g.drawImage(picture, w.x, w.y, picture.width << w.level, picture.height << w.level);
    }

    function drawStroke(g: CanvasRenderingContext2D) {
        const points = stroke.map((p) => camera.toScreen(p));
        g.beginPath();
        points.forEach(([x, y], i) => (i ? g.lineTo(x, y) : g.moveTo(x, y)));
        g.lineCap = 'round';
        g.lineJoin = 'round';
        const look = { sweep: ['#6A4A80', 5, []], seam: ['#2F5D50', 3, [0.1, 6]] } as const;
        const [colour, width, dash] = bench.tool === 'seam' ? look.seam : look.sweep;
        g.globalAlpha = bench.tool === 'sweep' ? 0.55 : 1;
        g.strokeStyle = colour;
        g.lineWidth = width;
        g.setLineDash([...dash]);
        g.stroke();
        g.setLineDash([]);
        g.globalAlpha = 1;
    }

    $effect(() => {
        // Everything that is drawn is read here, so that a change of it asks for a new frame. With these all is drawn.
        const by = [
            ...[camera.x, camera.y, camera.scale, camera.width, camera.height, ratio],
            ...[bench.station, bench.backdrop, bench.blink, bench.wipe, bench.theme, colourOf],
            ...[JSON.stringify(settings.lift), JSON.stringify(settings.weight), JSON.stringify(settings.trace)],
            ...[findings.only, findings.showLeft, middles, bench.showMiddles, probe.leak, probe.span],
            ...[settings.dragging, settings.watched, settings.trade, settings.facts, bench.tint, bench.anyColour],
            ...[bench.tool, bench.showArea, bench.effect, bench.weighs, bench.chosen, squaring],
        ];
        if (by.length !== drawnBy.length || by.some((v, i) => v !== drawnBy[i])) part = 'all';
        drawnBy = by;
        // With these only what they changed.
        void [sheet.view, stale, findings.listed, findings.current];
        // What a step changed is drawn as soon as it is answered: the next frame need not wait for it.
        if (sheet.toShow > 0 && sheet.toShow !== answered) {
            answered = sheet.toShow;
            untrack(() => draw(false));
        } else if (!frame) frame = requestAnimationFrame(() => untrack(() => draw(true)));
    });
    /** Asks for the ink around the finding that follows, and makes its paths, while the one in hand is judged. */
    function prepareNext() {
        const now = findings.current;
        const next = now && findings.after(now);
        const view = sheet.view;
        const to = next && camera.whence(next.at, next.to ?? next.at);
        if (!view || !to) return;
        const ahead = new Camera();
        Object.assign(ahead, { ...to, width: camera.width, height: camera.height });
        tiles.warm(ahead, { id: view.info.id, ...view }, 'ink', (w) => sheet.inkVersion(w), ratio);
        const box: Box = [...ahead.toSheet([0, 0]), ...ahead.toSheet([ahead.width, ahead.height])];
        if (bench.station === 'join' && ahead.scale > NEAR) linesIn(box, isSpine).forEach(pathOf);
    }
    $effect(() => {
        void [findings.current, sheet.view];
        const soon = setTimeout(prepareNext, PREPARE_AFTER);
        return () => clearTimeout(soon);
    });
    $effect(() => {
        void [camera.x, camera.y, camera.scale, camera.width, camera.height, ratio, sheet.view, stroke];
        void [bench.station, bench.tool, bench.corners, squaring, probe.landing];
        void [JSON.stringify(bench.brush), painting ? hover : null];
        if (!inHandFrame) inHandFrame = requestAnimationFrame(() => untrack(drawInHand));
    });

    // A drawing that comes onto the bench is shown whole.
    let shown = '';
    $effect(() => {
        // So is one that is laid out anew.
        const lies = lying();
        const name = lies ? `${lies.id}:${lies.width}x${lies.height}` : '';
        if (lies && name !== shown && camera.width > 1) {
            shown = name;
            untrack(() => camera.fit(lies.width, lies.height));
        }
    });

    function place(e: PointerEvent | WheelEvent): Pt {
        const box = canvas.getBoundingClientRect();
        return [e.clientX - box.left, e.clientY - box.top];
    }

    function regionAt(p: Pt): RegionView | undefined {
        const g = pen();
        g?.setTransform(1, 0, 0, 1, 0, 0);
        for (const r of sheet.view?.regions.within([...p, ...p]) ?? []) {
            if (g?.isPointInPath(pathOf(r), p[0], p[1], 'evenodd')) return r;
        }
        return undefined;
    }

    /** The centreline under a place. */
    function lineAt(p: Pt): number | null {
        const g = pen();
        if (!g) return null;
        g.setTransform(1, 0, 0, 1, 0, 0);
        g.lineWidth = 16 / camera.scale;
        for (const l of linesIn([...p, ...p], isSpine, g.lineWidth)) {
            if (g.isPointInStroke(pathOf(l), p[0], p[1])) return l.id;
        }
        return null;
    }

    /** The regions a stroke passes over, each once. */
    function regionsUnder(path: Pt[]): RegionView[] {
        const hit = path.map(regionAt).filter((r) => r !== undefined);
        return hit.filter((r, i) => hit.findIndex((o) => o.id === r.id) === i);
    }

    function down(e: PointerEvent) {
        const at = place(e);
        canvas.setPointerCapture(e.pointerId);
        const onWipe = inking && bench.wipe !== null && Math.abs(at[0] - bench.wipe * camera.width) < 14;
        const corner = squaring
            ? (bench.corners ?? []).findIndex((c) => {
                  const [x, y] = camera.toScreen(c);
                  return Math.hypot(x - at[0], y - at[1]) < 18;
              })
            : -1;
        if (corner >= 0 && e.button === 0 && !space) drag = { kind: 'corner', last: at, corner };
        else if (onWipe && e.button === 0 && !space) drag = { kind: 'wipe', last: at };
        else if (e.button === 1 || space || bench.tool === 'look' || squaring) drag = { kind: 'pan', last: at };
        else if (e.button === 0) {
            drag = { kind: 'stroke', last: at };
            stroke = [camera.toSheet(at)];
        }
        press = at;
    }
    let press: Pt = [0, 0];

    function move(e: PointerEvent) {
        const at = place(e);
        hover = at;
        if (!drag) return;
        if (drag.kind === 'pan') camera.pan(at[0] - drag.last[0], at[1] - drag.last[1]);
        else if (drag.kind === 'wipe') bench.wipe = Math.min(0.98, Math.max(0.02, at[0] / camera.width));
        else if (drag.kind === 'corner') {
            const to = camera.toSheet(at);
            bench.corners = (bench.corners ?? []).map((c, i) => (i === drag?.corner ? to : c));
        } else {
            const here = camera.toSheet(at);
            // While Shift is held a seam is straight, and what is cut out a box.
            const [start] = stroke;
            if (e.shiftKey && start && bench.tool === 'seam') stroke = [start, here];
            else if (e.shiftKey && start && bench.tool === 'cut')
                stroke = [start, [here[0], start[1]], here, [start[0], here[1]]];
            else stroke = [...stroke, here];
            if (bench.tool === 'seam') void probe.land(stroke);
        }
        drag.last = at;
    }

    function up(e: PointerEvent) {
        const at = place(e);
        const was = drag;
        const path = stroke;
        drag = null;
        if (!was) return;
        const still = Math.hypot(at[0] - press[0], at[1] - press[1]) < 4;
        if (was.kind === 'pan') {
            if (still && e.button === 0 && !space) pickFinding(at);
        } else if (was.kind === 'stroke') {
            sheet.actedAt = e.timeStamp;
            // It stays in sight until what it did is there.
            void use(path, at, still).finally(() => {
                sheet.actedAt = 0;
                if (stroke === path) {
                    stroke = [];
                    probe.landing = null;
                }
            });
        }
    }

    function pickFinding(at: Pt) {
        const here = camera.toSheet(at);
        const marked = near([...here, ...here], 26).map((f) => ({ f, d: markDistance(camera, f, at) }));
        const nearest = marked.sort((a, b) => a.d - b.d)[0];
        if (nearest && nearest.d < 26) findings.at = nearest.f.id;
        else if (bench.station === 'paint') {
            const region = regionAt(camera.toSheet(at));
            findings.at = findings.listed.find((f) => f.region === region?.id)?.id ?? null;
        } else findings.at = null;
    }

    async function use(path: Pt[], at: Pt, still: boolean) {
        const view = sheet.view;
        const here = camera.toSheet(at);
        if (!view) return;
        switch (bench.tool) {
            case 'touch':
            case 'area': {
                const { size, hardness, strength, takesOff } = bench.brush;
                const touch = { effect: painted, path, size, hardness, strength, takes_off: takesOff };
                await sheet.do({ do: 'touch', touch });
                break;
            }
            case 'protect':
                await sheet.do({ do: 'protect', at: here });
                break;
            case 'choose': {
                const id = lineAt(here);
                if (id === null) bench.chosen = [];
                else if (bench.chosen.includes(id)) bench.chosen = bench.chosen.filter((c) => c !== id);
                else bench.chosen = [...bench.chosen, id];
                break;
            }
            case 'level': {
                const [from, to] = [path[0], path[path.length - 1]];
                if (!from || !to || still) return;
                await intake.level(from, to);
                break;
            }
            case 'crop': {
                const [from, to] = [path[0], path[path.length - 1]];
                if (!from || !to || still) return;
                await intake.crop(from, to);
                break;
            }
            case 'marks': {
                const [from, to] = [path[0], path[path.length - 1]];
                if (!from || !to || still) return;
                await sheet.register([from, to]);
                break;
            }
            case 'sweep':
                if (path.length > 1) await sheet.do({ do: 'sweep', path });
                break;
            case 'cut':
                // An outline ends where it began.
                if (path.some((p) => path[0] && Math.hypot(p[0] - path[0][0], p[1] - path[0][1]) * camera.scale > 6)) {
                    await sheet.do({ do: 'cut', outline: path, ends: bench.cutEnds });
                }
                break;
            case 'seam':
                if (!still && path.length > 1) await sheet.do({ do: 'seam', path });
                break;
            case 'span':
                await probe.pickSpan(here);
                break;
            case 'leak':
                await probe.testLeak(here);
                break;
            case 'take-away': {
                const g = pen();
                if (!g) return;
                g.setTransform(1, 0, 0, 1, 0, 0);
                g.lineWidth = 22 / camera.scale;
                const near = linesIn([...here, ...here], isHandmade, g.lineWidth);
                const hit = near.find((l) => g.isPointInStroke(pathOf(l), here[0], here[1]));
                if (hit) await sheet.do({ do: 'remove', line: hit.id });
                break;
            }
            case 'fill': {
                const at = regionsUnder(path).map((r) => r.seed);
                if (bench.swatch && at.length) await sheet.do({ do: 'fill', at, swatch: bench.swatch });
                break;
            }
            case 'clear': {
                const at = regionsUnder(path)
                    .filter((r) => r.swatch)
                    .map((r) => r.seed);
                if (at.length) await sheet.do({ do: 'clear', at });
                break;
            }
            case 'pick': {
                const r = regionAt(here);
                if (r?.swatch) {
                    bench.swatch = r.swatch;
                    bench.tool = 'fill';
                }
                break;
            }
            case 'sample':
                if (here[0] < 0 || here[1] < 0 || here[0] >= view.width || here[1] >= view.height) return;
                try {
                    await settings.addSample(await pixel(view.info.id, Math.floor(here[0]), Math.floor(here[1])));
                } catch (e) {
                    tellError(e);
                }
                break;
        }
    }

    function wheel(e: WheelEvent) {
        e.preventDefault();
        camera.zoom(Math.exp(-e.deltaY * (e.ctrlKey ? 0.01 : 0.0016)), place(e));
    }

    function watch(node: HTMLCanvasElement) {
        canvas = node;
        const size = () => {
            const box = node.getBoundingClientRect();
            ratio = window.devicePixelRatio || 1;
            node.width = Math.round(box.width * ratio);
            node.height = Math.round(box.height * ratio);
            camera.width = box.width;
            camera.height = box.height;
            again();
        };
        const observer = new ResizeObserver(size);
        observer.observe(node);
        size();
        node.addEventListener('wheel', wheel, { passive: false });
        return { destroy: () => observer.disconnect() };
    }

    function key(e: KeyboardEvent, isDown: boolean) {
        if (e.code !== 'Space' || (e.target as HTMLElement).closest('input, textarea, button, [role=dialog]')) return;
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
    data-glance={glanced}
    data-waiting={sheet.waiting + (sheet.loading ? 1 : 0) + (settings.pending ? 1 : 0)}
    onpointerdown={down}
    onpointermove={move}
    onpointerup={up}
    onpointercancel={() => {
        drag = null;
        stroke = [];
    }}
    onpointerleave={() => (hover = null)}
></canvas>
<canvas bind:this={inHand} class="pointer-events-none absolute top-0 left-0 origin-top-left" aria-hidden="true"
></canvas>
{#if hover && bench.tool === 'fill' && bench.swatch}
    <span
        class="pointer-events-none absolute size-4 rounded-full border-2 border-white"
        style:left="{hover[0] + 12}px"
        style:top="{hover[1] + 12}px"
        style:background={colourOf.get(bench.swatch)}
    ></span>
{/if}
