/** The colour model in hand: which swatch and tone, which were before it, and changes to the model. */
import * as api from '../api';
import type { ColourModel } from '../types/ColourModel';
import type { DrawingInfo } from '../types/DrawingInfo';
import type { Swatch } from '../types/Swatch';
import type { Tone } from '../types/Tone';
import { parted, TONE, toned } from './paint';
import { sheet } from './sheet.svelte';
import { shots } from './shots.svelte';
import { undoing } from './undoing.svelte';

type Rgb = [number, number, number];

/** So many that were in hand last are at hand. */
const MOST_RECENT = 6;
/** How long the colour model is left alone before drawings are pictured by it anew, ms. */
const RESTED = 2500;

const groupsOf = (all: Swatch[]) => [...new Set(all.map((s) => s.group))];
const grouped = (all: Swatch[]) => groupsOf(all).flatMap((g) => all.filter((s) => s.group === g));

class Colours {
    /** The swatch in hand, and the tone; `null`: its base. */
    swatch = $state<string | null>(null);
    tone = $state<string | null>(null);
    /** Paint that was in hand before, the newest first. */
    recent = $state<string[]>([]);
    #pictured = $state(0);
    #of = 0;
    /** The swatch that is looked at more closely. */
    edited = $state<string | null>(null);

    swatches = $derived(shots.shot?.swatches ?? []);
    tones = $derived(shots.shot?.tones ?? []);
    current = $derived(this.swatches.find((s) => s.id === this.swatch) ?? this.swatches[0]);
    /** The paint in hand, as drops name it; a swatch without that tone gives its base. */
    paint = $derived.by(() => {
        const s = this.current;
        if (!s) return null;
        return toned(s.id, this.#toneOf(s));
    });
    /** The tone that is cut and shaded with: the one in hand, else the first. */
    shade = $derived(this.tone ?? this.tones[0]?.id ?? null);
    /** How many regions of the drawing have each swatch, whatever its tone. */
    used = $derived(sheet.view?.used ?? {});
    /** How many regions of the shot have each swatch. */
    inShot = $derived.by(() => {
        const n: Record<string, number> = {};
        for (const d of shots.shot?.drawings ?? []) {
            for (const [id, [regions]] of Object.entries(d.progress.used)) n[id] = (n[id] ?? 0) + regions;
        }
        return n;
    });
    /** By their groups, in the order of the first of each. */
    groups = $derived(
        groupsOf(this.swatches).map((name) => ({ name, list: this.swatches.filter((s) => s.group === name) })),
    );
    /** In the order they are listed. */
    listed = $derived(grouped(this.swatches));

    /** The colour model's revision that a drawing is pictured by: that from before its colours began to be changed. */
    shownIn({ progress }: DrawingInfo): number {
        return progress.painted > 0 || Object.keys(progress.used).length > 0 ? this.#pictured : 0;
    }

    /** Follows the colour model once nobody changes it: every painted drawing of the shot is pictured anew then. */
    follow() {
        const { id, revision } = shots.shot ?? { id: 0, revision: 0 };
        if (this.edited !== null && id === this.#of) return;
        const wait = id === this.#of ? RESTED : 0;
        this.#of = id;
        const timer = setTimeout(() => (this.#pictured = revision), wait);
        return () => clearTimeout(timer);
    }

    /** The tone in hand, if a swatch has it. */
    #toneOf(s: Swatch): string | null {
        return this.tone !== null && s.tones[this.tone] ? this.tone : null;
    }

    /** Takes paint in hand. */
    take(paint: string) {
        const was = this.paint;
        if (was && was !== paint)
            this.recent = [was, ...this.recent.filter((r) => r !== was && r !== paint)].slice(0, MOST_RECENT);
        [this.swatch, this.tone] = parted(paint);
    }

    /** Takes a swatch in hand, in the tone that is. */
    takeSwatch(id: string) {
        const s = this.swatches.find((s) => s.id === id);
        if (s) this.take(toned(id, this.#toneOf(s)));
    }

    /** The next tone comes into hand, the base behind the last. */
    nextTone() {
        const all = [null, ...this.tones.map((t) => t.id)];
        this.tone = all[(all.indexOf(this.tone) + 1) % all.length] ?? null;
    }

    /** What was in hand before comes into it again. */
    back() {
        const before = this.recent[0];
        if (before) this.take(before);
    }

    /** Changes the model, which undo takes back. */
    async #set(make: (model: ColourModel) => ColourModel): Promise<boolean> {
        let before: ColourModel | null = null;
        const taken = await shots.setColours((model) => make((before = model)));
        if (taken && before) undoing.note(before);
        return taken;
    }

    #swatches(make: (swatches: Swatch[], tones: Tone[]) => Swatch[]) {
        return this.#set(({ tones, swatches }) => ({ tones, swatches: make(swatches, tones) }));
    }

    #one(id: string, make: (s: Swatch) => Swatch) {
        return this.#swatches((all) => all.map((s) => (s.id === id ? make(s) : s)));
    }

    change(id: string, by: Partial<Swatch>) {
        return this.#one(id, (s) => ({ ...s, ...by }));
    }

    /** Sets the colour of a swatch or of one of its tones. */
    recolour(id: string, tone: string | null, colour: Rgb) {
        return this.#one(id, (s) =>
            tone === null ? { ...s, colour } : { ...s, tones: { ...s.tones, [tone]: colour } },
        );
    }

    dropTone(id: string, tone: string) {
        const without = (s: Swatch) => Object.fromEntries(Object.entries(s.tones).filter(([t]) => t !== tone));
        return this.#one(id, (s) => ({ ...s, tones: without(s) }));
    }

    setTones(tones: Tone[]) {
        const there = tones.map((t) => t.id);
        const only = (s: Swatch) => Object.fromEntries(Object.entries(s.tones).filter(([t]) => there.includes(t)));
        return this.#set(({ swatches }) => ({
            tones,
            swatches: swatches.map((s) => ({ ...s, tones: only(s) })),
        }));
    }

    /** Adds swatches at the end, under ids that none has; tones that the shot does not have are added, too. */
    async add(model: ColourModel): Promise<boolean> {
        let first: string | undefined;
        const taken = await this.#set(({ tones, swatches }) => {
            const ids = swatches.map((s) => s.id);
            const added = model.swatches.map((s) => {
                const called = s.id.replaceAll(TONE, '-') || 'colour';
                let id = called;
                for (let n = 2; ids.includes(id); n++) id = `${called}-${n}`;
                ids.push(id);
                return { ...s, id };
            });
            first = added[0]?.id;
            const more = model.tones.filter((t) => !tones.some((o) => o.id === t.id));
            return { tones: [...tones, ...more], swatches: [...swatches, ...added] };
        });
        if (taken && first !== undefined) this.take(first);
        return taken;
    }

    /** Puts a swatch in front of another, into its group; `null`: at the end of a group. */
    move(id: string, before: string | null, group: string) {
        return this.#swatches((all) => {
            const moved = all.find((s) => s.id === id);
            if (!moved || before === id) return all;
            const rest = grouped(all).filter((s) => s.id !== id);
            const behind = rest.findLastIndex((s) => s.group === group) + 1 || rest.length;
            const at = before === null ? behind : rest.findIndex((s) => s.id === before);
            return [...rest.slice(0, at), { ...moved, group }, ...rest.slice(at)];
        });
    }

    /** Puts another swatch in its place all over the shot, or none, and takes it out of the model. */
    async replaceBy(id: string, by: string | null) {
        const shot = shots.shot;
        if (!shot) return;
        // What was painted before uses were told may have it.
        const mayHave = ({ used, painted }: DrawingInfo['progress']) =>
            id in used || (painted > 0 && Object.keys(used).length === 0);
        if (shot.drawings.some((d) => mayHave(d.progress))) await api.replaceInShot(shot.id, id, by);
        await this.#swatches((all) => all.filter((s) => s.id !== id));
        // The model alone would come back without its paint.
        undoing.forget();
        this.edited = null;
        if (this.swatch === id) this.swatch = by;
    }
}

export const colours = new Colours();
