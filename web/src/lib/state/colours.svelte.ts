/** The colour model in hand: which swatch and tone, which were before it, and changes to the model. */
import * as api from '../api';
import type { ColourModel } from '../types/ColourModel';
import type { Swatch } from '../types/Swatch';
import type { Tone } from '../types/Tone';
import { sheet } from './sheet.svelte';
import { shots } from './shots.svelte';

type Rgb = [number, number, number];

/** What stands between a swatch and its tone where paint is named. */
const TONE = '/';
/** So many that were in hand last are at hand. */
const MOST_RECENT = 6;

export const parted = (paint: string): [string, string | null] => {
    const k = paint.indexOf(TONE);
    return k < 0 ? [paint, null] : [paint.slice(0, k), paint.slice(k + 1)];
};

class Colours {
    /** The swatch in hand, and the tone; `null`: its base. */
    swatch = $state<string | null>(null);
    tone = $state<string | null>(null);
    /** Paint that was in hand before, the newest first. */
    recent = $state<string[]>([]);
    /** The swatch that is looked at more closely. */
    edited = $state<string | null>(null);

    swatches = $derived(shots.shot?.swatches ?? []);
    tones = $derived(shots.shot?.tones ?? []);
    current = $derived(this.swatches.find((s) => s.id === this.swatch) ?? this.swatches[0]);
    /** The paint in hand, as drops name it; a swatch without that tone gives its base. */
    paint = $derived.by(() => {
        const s = this.current;
        if (!s) return null;
        return this.tone !== null && s.tones[this.tone] ? `${s.id}${TONE}${this.tone}` : s.id;
    });
    /** How many regions of the drawing have each swatch, whatever its tone. */
    used = $derived.by(() => {
        const n: Record<string, number> = {};
        for (const r of sheet.view?.regions.all() ?? []) {
            if (!r.swatch) continue;
            const [id] = parted(r.swatch);
            n[id] = (n[id] ?? 0) + 1;
        }
        return n;
    });
    /** By their groups, in the order of the first of each. */
    groups = $derived.by(() => {
        const names = [...new Set(this.swatches.map((s) => s.group))];
        return names.map((name) => ({ name, list: this.swatches.filter((s) => s.group === name) }));
    });
    /** In the order they are listed. */
    listed = $derived(this.groups.flatMap((g) => g.list));

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
        if (s) this.take(this.tone !== null && s.tones[this.tone] ? `${id}${TONE}${this.tone}` : id);
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

    #set(change: Partial<ColourModel>): Promise<boolean> {
        return shots.setColours({ tones: this.tones, swatches: this.swatches, ...change });
    }

    change(id: string, by: Partial<Swatch>) {
        return this.#set({ swatches: this.swatches.map((s) => (s.id === id ? { ...s, ...by } : s)) });
    }

    /** Sets the colour of a swatch or of one of its tones. */
    recolour(id: string, tone: string | null, colour: Rgb) {
        const s = this.swatches.find((s) => s.id === id);
        if (!s) return Promise.resolve(false);
        return this.change(id, tone === null ? { colour } : { tones: { ...s.tones, [tone]: colour } });
    }

    dropTone(id: string, tone: string) {
        const s = this.swatches.find((s) => s.id === id);
        if (!s) return;
        return this.change(id, { tones: Object.fromEntries(Object.entries(s.tones).filter(([t]) => t !== tone)) });
    }

    setTones(tones: Tone[]) {
        const there = new Set(tones.map((t) => t.id));
        const only = (s: Swatch) => Object.fromEntries(Object.entries(s.tones).filter(([t]) => there.has(t)));
        return this.#set({ tones, swatches: this.swatches.map((s) => ({ ...s, tones: only(s) })) });
    }

    /** Adds swatches at the end, under ids that none has; tones that the shot does not have are added, too. */
    async add(model: ColourModel): Promise<boolean> {
        const ids = this.swatches.map((s) => s.id);
        const added = model.swatches.map((s) => {
            let id = s.id.replaceAll(TONE, '-') || 'colour';
            for (let n = 2; ids.includes(id); n++) id = `${s.id}-${n}`;
            ids.push(id);
            return { ...s, id };
        });
        const tones = [...this.tones, ...model.tones.filter((t) => !this.tones.some((o) => o.id === t.id))];
        if (!(await this.#set({ tones, swatches: [...this.swatches, ...added] }))) return false;
        const first = added[0];
        if (first) this.take(first.id);
        return true;
    }

    /** Puts a swatch in front of another, into its group; `null`: at the end of a group. */
    move(id: string, before: string | null, group: string) {
        const moved = this.swatches.find((s) => s.id === id);
        if (!moved || before === id) return;
        const rest = this.listed.filter((s) => s.id !== id);
        const at =
            before === null ? rest.findLastIndex((s) => s.group === group) + 1 : rest.findIndex((s) => s.id === before);
        return this.#set({ swatches: [...rest.slice(0, at), { ...moved, group }, ...rest.slice(at)] });
    }

    /** Puts another swatch in its place all over the shot, or none, and takes it out of the model. */
    async replaceBy(id: string, by: string | null, used: boolean) {
        const shot = shots.shot;
        if (!shot) return;
        if (used) await api.replaceInShot(shot.id, id, by);
        await this.#set({ swatches: this.swatches.filter((s) => s.id !== id) });
        this.edited = null;
        if (this.swatch === id) this.swatch = by;
    }
}

export const colours = new Colours();
