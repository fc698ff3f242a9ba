/**
 * The picture on the canvas, layer by layer: the desk and the sheet, the original, paint, ink, seams, marks, what belongs
 * to the station. After a step only what lies where something changed is drawn again.
 */
import { untrack } from 'svelte';
import { bench } from '../state/bench.svelte';
import { findings } from '../state/findings.svelte';
import { lightTable } from '../state/lightTable.svelte';
import { play } from '../state/play.svelte';
import { stills } from '../state/stills.svelte';
import { guides } from '../state/guides.svelte';
import { settings } from '../state/inking.svelte';
import { probe } from '../state/probe.svelte';
import { sheet } from '../state/sheet.svelte';
import { shots } from '../state/shots.svelte';
import { underlay } from '../state/underlay.svelte';
import type { DrawingInfo } from '../types/DrawingInfo';
import type { Finding } from '../types/Finding';
import type { LineView } from '../types/LineView';
import type { Pt } from '../types/Pt';
import type { Window as SheetWindow } from '../types/Window';
import type { Shown } from '../state/shown';
import { drawAtStation } from './atStation';
import { around, type Box, cornersOf } from '../geometry/box';
import { Camera } from '../geometry/camera.svelte';
import { drawDesk, drawSheet } from './desk';
import { Glance, windowSeen } from './glance';
import { along, COUNT_CELL, type Colours, Counts, marks, seam } from '../drawn/marks';
import * as overlays from '../drawn/overlays';
import { PaintLayer } from './paint';
import { drawNeighbours, drawStill } from './stills';
import { pathOf } from '../drawn/paths';
import { levelAt, type Of, Tiles } from './tiles';

type G = CanvasRenderingContext2D;

/** Marks lie on the sheet, which stays light in both themes. */
const COLOURS: Colours = {
    gap: '#DE9F27',
    tail: '#6A4A80',
    end: '#CB4B36',
    leak: '#3B6FA5',
    seam: '#2F5D50',
    line: '#2A2822',
    paper: '#F7F2E6',
};
const LOUD = [214, 0, 122] as const;
const CAUGHT = [0, 92, 230] as const;

/** How far a mark reaches around its place, and a count around its part of the canvas, screen pixels. */
const MARGIN = 60;
const COUNT_MARGIN = 16;
/** Findings that are marked one by one; more are counted. */
const MOST_MARKS = 350;
/** From afar they always are. */
const FAR = 0.16;
/** The middles of lines are drawn from this scale on. */
const NEAR = 0.9;
/** The share of the view that the ink in hand reaches beyond each side, unless it must be quick. */
const BEYOND = 0.25;
/** How long after a step the next finding is prepared, ms: what the step changed comes first. */
const PREPARE_AFTER = 40;

/** Draws within a polygon of the screen. */
function clipped(g: G, corners: Pt[], draw: () => void) {
    g.save();
    g.beginPath();
    along(g, corners);
    g.clip();
    draw();
    g.restore();
}

/** By what the ink of a part is told from what it was: the steps, and the colours of the shot. */
const inkVersion = (w: SheetWindow) => `${sheet.inkVersion(w)}.${shots.shot?.revision ?? 0}`;

export class Picture {
    /** The pixels of the canvas to one of the screen. */
    ratio = $state(1);
    /** The drawing that is shown instead of the one in hand, last. */
    insteadOf = $state(0);
    /** The drawing whose ink is shown as the settings in hand give it. */
    glanced = $state(0);
    #canvas: HTMLCanvasElement | null = null;
    #frame = 0;
    /** Counts what asks for a new frame besides state. */
    #stale = $state(0);
    /** What is to be drawn again: all, or what lies in a box of the sheet. */
    #part: Box | 'all' | null = 'all';
    /** The part of the sheet that is drawn now. */
    #drawn: Box = [0, 0, 0, 0];
    /** What the canvas was last drawn by, and which finding was in hand. */
    #drawnBy: unknown[] = [];
    #marked: Finding | null = null;
    #counted = false;
    readonly #counts = new Counts();
    readonly #paint = new PaintLayer();
    /** The step whose answer was drawn as soon as it was there. */
    #answered = 0;
    #regionsTold = false;
    /** Which openings were told already, by when they were asked for. */
    readonly #told = { 'open to picture': 0, 'open to work': 0 };
    #middles = $derived(
        (settings.traced?.lines ?? []).map((l) => ({ solid: l.kind === 'outline', path: new Path2D(l.path) })),
    );
    /** The drawing that comes onto the bench, as far as a still of it is there: that is seen until it has come. */
    #coming = $derived.by(() => {
        const { coming } = sheet;
        if (coming === null || bench.station === 'intake') return null;
        const drawing = shots.all.flatMap((s) => s.drawings).find((d) => d.id === coming);
        const still = drawing && stills.of(drawing);
        return still ? { drawing, facts: still.facts } : null;
    });
    /** What lies on the canvas: the sheet, or the original while its corners are moved. */
    #lies = $derived.by((): Of | null => {
        if (this.#coming) {
            const { drawing, facts } = this.#coming;
            const { id, key, revision } = drawing;
            return { id, key, revision, width: facts.width, height: facts.height };
        }
        const view = sheet.view;
        if (!view) return null;
        const [width, height] = bench.squaring ? view.original : [view.width, view.height];
        const { id, key, revision } = view.info;
        return { id, key, revision, width, height };
    });
    readonly #tiles = new Tiles(({ x, y, width, height }) => {
        this.#mend([x, y, x + width, y + height]);
        this.#stale++;
    });
    readonly #glance = new Glance(
        () => this.#again(),
        (told, trouble) => settings.hear(told?.facts ?? null, told?.trade ?? null, told?.trace ?? null, trouble),
    );

    /** Keeps a canvas drawn as large as it is laid out. */
    attach(canvas: HTMLCanvasElement) {
        this.#canvas = canvas;
        const size = () => {
            const box = canvas.getBoundingClientRect();
            this.ratio = window.devicePixelRatio || 1;
            canvas.width = Math.round(box.width * this.ratio);
            canvas.height = Math.round(box.height * this.ratio);
            [bench.camera.width, bench.camera.height] = [box.width, box.height];
            this.#again();
        };
        const observer = new ResizeObserver(size);
        observer.observe(canvas);
        size();
        return { destroy: () => observer.disconnect() };
    }

    /** Draws whenever what is shown changes, from the component that holds the picture on. */
    follow() {
        $effect(() => this.#ask());
        $effect(() => {
            void [findings.current, sheet.view];
            const soon = setTimeout(() => this.#prepareNext(), PREPARE_AFTER);
            return () => clearTimeout(soon);
        });
        // A drawing that comes onto the bench, or is laid out anew, is shown whole.
        let shown = '';
        $effect(() => {
            const lies = this.#lies;
            const name = lies ? `${lies.id}:${lies.width}x${lies.height}` : '';
            if (lies && name !== shown && bench.camera.width > 1) {
                shown = name;
                untrack(() => bench.camera.fit(lies.width, lies.height));
            }
        });
    }

    #again() {
        this.#part = 'all';
        this.#stale++;
    }

    #mend(box: Box) {
        if (this.#part !== 'all') this.#part = around(this.#part, box);
    }

    /** Reads all that is drawn, so that a change of it asks for a new frame. */
    #ask() {
        const { camera } = bench;
        // With these all is drawn.
        const by = [
            ...[camera.x, camera.y, camera.scale, camera.turn, camera.mirrored],
            ...[camera.width, camera.height, this.ratio],
            ...[bench.station, bench.backdrop, bench.blink, bench.wipe, bench.theme, shots.colours],
            ...[JSON.stringify(settings.lift), JSON.stringify(settings.weight), JSON.stringify(settings.trace)],
            ...[
                findings.only,
                findings.showLeft,
                findings.unfolded,
                this.#middles,
                bench.showMiddles,
                probe.leak,
                probe.span,
            ],
            ...[
                settings.dragging,
                settings.watched,
                settings.trade,
                settings.facts,
                bench.tint,
                bench.anyColour,
                bench.shows,
            ],
            ...[play.drawing, play.shows, lightTable.flipped, lightTable.neighbours, lightTable.shift],
            ...[lightTable.settings.strength, stills.come, this.#coming],
            ...[underlay.rough, ...Object.values(underlay.look), bench.chart, bench.chartUnder, guides.list],
            ...[bench.tool, bench.showArea, bench.effect, bench.weighs, bench.chosen, bench.squaring],
        ];
        if (by.length !== this.#drawnBy.length || by.some((v, i) => v !== this.#drawnBy[i])) this.#part = 'all';
        this.#drawnBy = by;
        // With these only what they changed.
        void [sheet.view, this.#stale, findings.listed, findings.current];
        // What a step changed is drawn as soon as it is answered: the next frame need not wait for it.
        if (sheet.toShow > 0 && sheet.toShow !== this.#answered) {
            this.#answered = sheet.toShow;
            untrack(() => this.#draw(false));
        } else {
            this.#frame ||= requestAnimationFrame(() => {
                this.#frame = 0;
                untrack(() => this.#draw(true));
            });
        }
    }

    /** The lines of a kind that reach into a box of the sheet. */
    #linesIn(box: Box, kind: LineView['kind']): LineView[] {
        return (sheet.view?.lines.within(box) ?? []).filter((l) => l.kind === kind);
    }

    /** `inFrame`: the browser is just making the next frame. */
    #draw(inFrame: boolean) {
        // Nothing of the page shows through the canvas: it is composed without blending.
        const g = this.#canvas?.getContext('2d', { alpha: false });
        if (!g) return;
        const { camera } = bench;
        const now = findings.current;
        if (now !== this.#marked) {
            for (const f of [now, this.#marked]) {
                if (!f) continue;
                this.#mend(around([...f.at, ...f.at], [...(f.to ?? f.at), ...(f.to ?? f.at)]));
                const region = f.region === null ? undefined : sheet.view?.regions.get(f.region);
                if (region) this.#mend(region.bounds);
            }
            this.#marked = now;
        }
        const changed = sheet.takeChanged();
        // Far out, or where they would hide one another, marks are counted.
        const here = camera.scale < FAR ? null : findings.near(camera.box(), COUNT_CELL / camera.scale);
        const count = here === null || here.length > MOST_MARKS;
        if (changed === 'all' || count !== this.#counted || settings.shown) this.#part = 'all';
        else if (changed) this.#mend(changed);
        this.#counted = count;
        this.#paint.mend(this.#part === 'all' ? 'all' : changed);
        g.save();
        this.#clipTo(g, this.#part, here);
        this.#part = null;
        this.#drawPart(g, inFrame);
        g.restore();
    }

    /** Clips to what is to be drawn again. `here`: the findings in view, if they are known. */
    #clipTo(g: G, part: Box | 'all' | null, here: Finding[] | null) {
        const { camera } = bench;
        let [left, top, right, low]: Box = [0, 0, camera.width, camera.height];
        if (part === 'all' || part === null) this.#counts.clear();
        else [left, top, right, low] = camera.boxOnScreen(part);
        let margin = MARGIN;
        if (this.#counted) {
            // A count stands for all of its part of the canvas.
            [left, top, right, low] = Counts.around([left, top, right, low]);
            const box = camera.boxOnSheet([left, top, right, low]);
            this.#counts.recount(
                camera,
                [left, top, right, low],
                here && part === 'all' ? here : findings.near(box, 0),
            );
            margin = COUNT_MARGIN;
        }
        [left, top] = [Math.max(0, Math.floor(left - margin)), Math.max(0, Math.floor(top - margin))];
        [right, low] = [
            Math.min(camera.width, Math.ceil(right + margin)),
            Math.min(camera.height, Math.ceil(low + margin)),
        ];
        this.#onScreen(g);
        g.beginPath();
        g.rect(left, top, Math.max(0, right - left), Math.max(0, low - top));
        g.clip();
        this.#drawn = camera.boxOnSheet([left, top, right, low]);
    }

    #onScreen(g: G) {
        g.setTransform(this.ratio, 0, 0, this.ratio, 0, 0);
    }

    /** Draws with a context on the sheet, and takes it off again. */
    #onSheet(g: G, draw: () => void) {
        g.save();
        bench.camera.onto(g, this.ratio);
        draw();
        g.restore();
    }

    #drawPart(g: G, inFrame: boolean) {
        const { camera } = bench;
        this.#onScreen(g);
        drawDesk(g, camera.width, camera.height);
        const [view, lies] = [sheet.view, this.#lies];
        if (!lies) return;
        const place = camera.corners([0, 0, lies.width, lies.height]);
        drawSheet(g, place, camera.width, camera.height);
        if (this.#coming) {
            this.#drawInstead(g, this.#coming.drawing, place, this.#coming.facts.dpi);
            this.#tellOpening('open to picture');
            return;
        }
        if (!view) return;
        const instead = play.drawing ?? lightTable.flipped;
        if (instead) {
            this.#drawInstead(g, instead, place, view.dpi);
            return;
        }
        const showOriginal = bench.blink || bench.station === 'intake';
        const inking = settings.shown;
        const wipeX = inking && bench.wipe !== null && !showOriginal ? bench.wipe * camera.width : null;
        let inkShown = false;
        clipped(g, place, () => {
            inkShown = this.#drawLayers(g, view, lies, wipeX, showOriginal);
        });
        if (!showOriginal) this.#drawMarks(g);
        if (!bench.blink) drawAtStation(g, view, this.#middles, (l) => camera.onto(l, this.ratio));
        // The original is a key away, and lies under what is caught.
        if (bench.station === 'lift' && inking && this.#glance.wish?.exact) {
            this.#tiles.warm(camera, lies, 'original', () => sheet.layout, this.ratio);
        }
        if (sheet.toShow > 0 && !showOriginal && !inking) this.#tellStep(inkShown, inFrame);
        if (!sheet.loading && (inkShown || this.glanced === view.info.id)) {
            this.#tellOpening('open to picture');
            this.#tellOpening('open to work');
            sheet.askedAt = 0;
        }
        if (wipeX !== null) {
            g.fillStyle = '#2a2822';
            g.fillRect(wipeX - 1, 0, 2, camera.height);
        }
    }

    /** Another drawing, bare of marks, in the place of one of a resolution. */
    #drawInstead(g: G, drawing: DrawingInfo, place: Pt[], dpi: number) {
        let isThere = false;
        clipped(g, place, () =>
            this.#onSheet(g, () => {
                isThere = drawStill(g, drawing, play.running ? play.shows : 'both', dpi);
            }),
        );
        if (!isThere) return;
        this.insteadOf = drawing.id;
        if (lightTable.flippedAt > 0) performance.measure('key to flip', { start: lightTable.flippedAt });
        lightTable.flippedAt = 0;
    }

    /** The original, paint and ink; left of the wipe the original. Gives whether the ink is drawn as it is now. */
    #drawLayers(g: G, view: Shown, lies: Of, wipeX: number | null, showOriginal: boolean): boolean {
        const { camera } = bench;
        const inking = settings.shown;
        const caught = bench.station === 'lift' && settings.watched === 'drop-out';
        let inkShown = false;
        // The original lies under a tint, under what is caught, and where no picture has come yet.
        const { told, wish } = this.#glance;
        const under = inking && (bench.tint || caught || !told || wish?.drawing !== view.info.id);
        if (showOriginal || wipeX !== null || under) {
            const whole = wipeX === null || under;
            clipped(g, cornersOf([0, 0, whole ? camera.width : wipeX, camera.height]), () =>
                this.#onSheet(g, () => {
                    if (bench.squaring) this.#tiles.draw(g, camera, lies, 'raw', () => 0, this.ratio);
                    else this.#tiles.draw(g, camera, lies, 'original', () => sheet.layout, this.ratio);
                }),
            );
        }
        if (showOriginal) return false;
        clipped(g, cornersOf([wipeX ?? 0, 0, camera.width, camera.height]), () =>
            this.#onSheet(g, () => {
                if (bench.station === 'draw' && underlay.rough) this.#drawRough(g, underlay.rough);
                const shows = bench.station === 'paint' ? bench.shows : 'both';
                if (!inking && bench.station !== 'weight' && shows !== 'lines') this.#paint.drawOn(g, view, this.ratio);
                if (!inking) drawNeighbours(g);
                if (inking && (view.lift !== null || view.trouble)) this.#drawGlance(g, view, caught);
                else if (shows !== 'paint') inkShown = this.#tiles.draw(g, camera, lies, 'ink', inkVersion, this.ratio);
            }),
        );
        return inkShown;
    }

    /** The rough under the drawing: its lines in one colour, dimmed towards the paper, as it was moved and turned. */
    #drawRough(g: G, rough: Of) {
        const { look } = underlay;
        const camera = bench.camera.laid(look, [rough.width / 2, rough.height / 2]);
        g.save();
        camera.onto(g, this.ratio);
        this.#tiles.draw(g, camera, rough, underlay.kind, () => rough.revision, this.ratio);
        if (look.tint) {
            g.globalCompositeOperation = 'lighten';
            g.fillStyle = look.tint;
            g.fillRect(0, 0, rough.width, rough.height);
            g.globalCompositeOperation = 'source-over';
        }
        g.globalAlpha = 1 - look.opacity;
        g.fillStyle = '#fffdf7';
        g.fillRect(0, 0, rough.width, rough.height);
        g.restore();
    }

    /** Middles, seams and the marks of findings, that of the one in hand too. */
    #drawMarks(g: G) {
        const { camera } = bench;
        if (bench.station === 'join' && camera.scale > NEAR) {
            const middles = this.#linesIn(this.#drawn, 'centreline').map(pathOf);
            this.#onSheet(g, () => overlays.hairs(g, middles, camera.scale, this.ratio));
        }
        if (!settings.shown) {
            for (const s of this.#linesIn(this.#drawn, 'seam')) seam(g, camera, this.ratio, pathOf(s), COLOURS);
        }
        const now = findings.current;
        if (this.#counted) this.#counts.draw(g, COLOURS);
        else marks(g, camera, findings.near(this.#drawn, MARGIN / camera.scale), COLOURS, now);
        if (!now || now.region === null || now.kind === 'sliver') return;
        const region = sheet.view?.regions.get(now.region);
        if (region) this.#onSheet(g, () => overlays.inHand(g, [pathOf(region)], camera.scale));
    }

    /** The ink as the settings in hand give it, or what of it is pencil. */
    #drawGlance(g: G, view: Shown, caught: boolean) {
        const now = settings.inking;
        if (!now) return;
        const { camera } = bench;
        // At Lift the ink is shown as it is lifted, before its weight is changed.
        const inking = bench.station === 'lift' ? { ...now, weight: { ...now.weight, amount: 0 } } : now;
        const level = levelAt(camera.scale * this.ratio);
        const window = windowSeen(camera, view, level, settings.dragging ? 0 : BEYOND);
        if (window.width > 0 && window.height > 0) {
            const trace = bench.station === 'trace' ? $state.snapshot(settings.trace) : null;
            const wish = { drawing: view.info.id, inking, window, exact: !settings.dragging, caught, trace };
            this.#glance.ask(wish, settings.movedAt);
            settings.movedAt = settings.dragging ? settings.movedAt : 0;
        }
        const shown = this.#glance.wish;
        if (!shown || shown.drawing !== view.info.id || shown.caught !== caught) return;
        if ((shown.trace !== null) !== (bench.station === 'trace')) return;
        const drawn = settings.lift?.as_drawn ?? false;
        const colour = caught ? CAUGHT : bench.tint ? LOUD : drawn ? null : (settings.lift?.ink_colour ?? LOUD);
        const picture = this.#glance.in(colour);
        if (!picture) return;
        this.glanced = shown.drawing;
        const w = shown.window;
        g.imageSmoothingEnabled = camera.scale * this.ratio < 3;
        g.drawImage(picture, w.x, w.y, picture.width << w.level, picture.height << w.level);
    }

    /** Tells how long a step took: regions and marks are there; the ink that changed may still be on its way. */
    #tellStep(inkShown: boolean, inFrame: boolean) {
        const start = sheet.toShow;
        // Up to the frame that shows it: this one, or else the next.
        const tell = (name: string) => {
            const measure = () => performance.measure(name, { start });
            if (inFrame) measure();
            else requestAnimationFrame(measure);
        };
        if (!this.#regionsTold) tell('edit to regions');
        this.#regionsTold = true;
        if (inkShown) {
            tell('edit to ink');
            sheet.toShow = 0;
            this.#regionsTold = false;
        }
    }

    /** Tells how long it took from asking for a drawing until it was seen, and until it could be worked on. */
    #tellOpening(name: 'open to picture' | 'open to work') {
        const start = sheet.askedAt;
        if (start === 0 || this.#told[name] === start) return;
        this.#told[name] = start;
        performance.measure(name, { start });
    }

    /** Asks for the ink around the finding that follows, and makes its paths, while the one in hand is judged. */
    #prepareNext() {
        const now = findings.current;
        const next = now && findings.after(now);
        const to = next && bench.camera.whence(next.at, next.to ?? next.at);
        const lies = this.#lies;
        if (!lies || !to) return;
        const ahead = new Camera();
        const { turn, mirrored, width, height } = bench.camera;
        Object.assign(ahead, { ...to, turn, mirrored, width, height });
        this.#tiles.warm(ahead, lies, 'ink', inkVersion, this.ratio);
        if (bench.station === 'join' && ahead.scale > NEAR) this.#linesIn(ahead.box(), 'centreline').forEach(pathOf);
    }
}
