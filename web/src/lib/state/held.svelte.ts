/** The lines in hand at Draw: which, where they lie, and what is done with them. */
import * as api from '../api';
import { type Affine, inTurn, isNowhere, moved, turned } from '../geometry/affine';
import { around, type Box } from '../geometry/box';
import { connected, endsOf, placesAlong, placesOf } from '../geometry/places';
import type { HoldStep } from '../types/HoldStep';
import type { Line } from '../types/Line';
import type { LineView } from '../types/LineView';
import type { Pt } from '../types/Pt';
import type { TriedTold } from '../types/TriedTold';
import { bench } from './bench.svelte';
import { tell, tellError } from './notices.svelte';
import { sheet } from './sheet.svelte';

/** How far a copy is put beside what it was made of, px of the screen. */
const ASIDE = 24;

class Held {
    lines = $derived(bench.chosen.map((id) => sheet.view?.lines.get(id)).filter((l) => l !== undefined));
    ids = $derived(this.lines.map((l) => l.id));
    /** The box of their paths. */
    box = $derived(this.lines.reduce<Box | null>((box, l) => around(box, l.bounds), null));
    /** The place they are turned and scaled about; `null`: their middle. */
    #pivot = $state.raw<{ of: string; at: Pt } | null>(null);
    /** Their width is scaled with them. */
    weight = $state(true);
    /** Lines that were copied, from whichever drawing. */
    copied = $state.raw<Line[]>([]);
    /** What the next stroke is for: a click picks the line to end along, a way is what copies are spread along. */
    next = $state<'end along' | 'spread' | null>(null);
    /** How many copies are spread along a way, and whether they turn with it. */
    copies = $state(6);
    turns = $state(true);
    /** What tidying would do, while it is asked whether to. */
    tidying = $state.raw<TriedTold | null>(null);

    get pivot(): Pt {
        if (this.#pivot?.of === this.ids.join()) return this.#pivot.at;
        const [x0, y0, x1, y1] = this.box ?? [0, 0, 0, 0];
        return [(x0 + x1) / 2, (y0 + y1) / 2];
    }

    set pivot(at: Pt) {
        this.#pivot = { of: this.ids.join(), at };
    }

    take(ids: number[]) {
        bench.chosen = [...new Set(ids)];
        this.next = null;
        this.tidying = null;
    }

    /** A line with all of its group. */
    withGroup(line: LineView): number[] {
        if (line.group === undefined) return [line.id];
        return [...(sheet.view?.lines.all() ?? [])].filter((l) => l.group === line.group).map((l) => l.id);
    }

    /** Everything that those in hand touch, and what that touches. */
    takeConnected() {
        const view = sheet.view;
        if (!view) return;
        const near = (l: LineView) => view.lines.within(l.bounds, l.width / 2 + 1);
        this.take(connected(this.lines, near).map((l) => l.id));
    }

    takeInverse() {
        const known = new Set(this.ids);
        this.take([...(sheet.view?.lines.all() ?? [])].map((l) => l.id).filter((id) => !known.has(id)));
    }

    /** All that are like those in hand: of their colours, or about as broad. */
    takeLike(what: 'colour' | 'width') {
        const all = [...(sheet.view?.lines.all() ?? [])];
        const colours = new Set(this.lines.map((l) => l.swatch));
        const widths = this.lines.map((l) => l.width);
        const isLike = (l: LineView) =>
            what === 'colour'
                ? l.kind !== 'seam' && colours.has(l.swatch)
                : widths.some((w) => Math.abs(w - l.width) <= 0.15 * w + 0.2);
        this.take(all.filter(isLike).map((l) => l.id));
    }

    do(step: HoldStep) {
        return sheet.do({ of: 'hold', ...step });
    }

    /** Leads them through a map; those that are new, or were drawn anew, are in hand then. */
    async lead(map: Affine, copy = false) {
        if (this.ids.length === 0 || (isNowhere(map) && !copy)) return;
        const step: HoldStep = { do: 'move', lines: this.ids, map, weight: this.weight, copy };
        await this.#takingNew(copy, () => this.do(step));
    }

    /** Takes in hand what a step adds. */
    async #takingNew(isNew: boolean, step: () => Promise<unknown>, which: (l: LineView) => boolean = () => true) {
        const before = new Set([...(sheet.view?.lines.all() ?? [])].map((l) => l.id));
        await step();
        if (!isNew || sheet.refused) return;
        const now = [...(sheet.view?.lines.all() ?? [])].filter(which);
        this.take(now.map((l) => l.id).filter((id) => !before.has(id)));
    }

    async takeAway() {
        if (this.ids.length === 0) return;
        await this.do({ do: 'take_away', lines: this.ids });
        if (!sheet.refused) this.take([]);
    }

    async copy() {
        const view = sheet.view;
        if (!view || this.ids.length === 0) return;
        try {
            this.copied = await api.lines(view.info.id, this.ids);
            tell(`Copied ${this.copied.length === 1 ? '1 line' : `${this.copied.length} lines`}.`);
        } catch (e) {
            tellError(e);
        }
    }

    /** Puts what was copied where it lay, in this drawing or another one. */
    async paste() {
        if (this.copied.length === 0) return;
        await this.#takingNew(true, () => this.do({ do: 'paste', lines: this.copied, by: [0, 0] }));
    }

    /** What lies within an outline comes loose, and is in hand. */
    async cutLoose(outline: Pt[]) {
        const ends = bench.cutEnds;
        const box = outline.reduce<Box | null>((box, [x, y]) => around(box, [x, y, x, y]), null);
        // What is left outside may be new, too.
        const isWithin = ({ bounds: b }: LineView) =>
            box !== null && b[0] >= box[0] - 1 && b[1] >= box[1] - 1 && b[2] <= box[2] + 1 && b[3] <= box[3] + 1;
        await this.#takingNew(true, () => sheet.do({ of: 'join', do: 'cut', outline, ends, loose: true }), isWithin);
        if (!sheet.refused) bench.tool = 'hold';
    }

    /** The maps that lead those in hand to places along a way, as many as there are to be copies. */
    mapsAlong(way: Pt[]): Affine[] {
        const [x, y] = this.pivot;
        return placesAlong(way, this.copies).map(({ at, angle }) => {
            const to = moved(at[0] - x, at[1] - y);
            return this.turns ? inTurn(turned([x, y], angle), to) : to;
        });
    }

    async spread(way: Pt[]) {
        const maps = this.mapsAlong(way);
        this.next = null;
        if (maps.length > 0 && this.ids.length > 0)
            await this.#takingNew(true, () => this.do({ do: 'spread', lines: this.ids, maps }));
    }

    /** Asks what tidying would do: those in hand, or all. */
    async tryTidying() {
        const view = sheet.view;
        if (!view) return;
        try {
            const told = await api.tried(view.info.id, { of: 'hold', do: 'tidy', lines: this.ids });
            if (told.unlike === null) tell(`${told.label[0]?.toUpperCase() ?? ''}${told.label.slice(1)}.`);
            else this.tidying = told;
        } catch (e) {
            tellError(e);
        }
    }

    async tidy() {
        const lines = this.ids;
        this.tidying = null;
        await this.do({ do: 'tidy', lines });
    }

    duplicate() {
        const by = ASIDE / bench.camera.scale;
        return this.lead([1, 0, by, 0, 1, by], true);
    }

    /** The end of the one in hand nearest to a line ends along it. */
    async endAlong(along: LineView, gap: number) {
        this.next = null;
        const [line] = this.lines;
        const ends = line ? endsOf(line) : null;
        if (!line || !ends) return;
        const far = (p: Pt) => Math.min(...placesOf(along).map((q) => Math.hypot(p[0] - q[0], p[1] - q[1])));
        const atEnd = far(ends[1]) < far(ends[0]);
        await this.do({ do: 'end_along', line: line.id, at_end: atEnd, along: along.id, gap });
    }
}

export const held = new Held();
