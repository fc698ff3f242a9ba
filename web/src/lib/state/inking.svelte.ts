/** The settings of lift, weight and trace in hand: moved while a slider is dragged, saved when it is let go. */
import type { Inking } from '../types/Inking';
import type { JoinRecipe } from '../types/JoinRecipe';
import type { LiftFacts } from '../types/LiftFacts';
import type { LiftRecipe } from '../types/LiftRecipe';
import type { TraceRecipe } from '../types/TraceRecipe';
import type { TraceTold } from '../types/TraceTold';
import type { Trade } from '../types/Trade';
import type { WeightRecipe } from '../types/WeightRecipe';
import { bench } from './bench.svelte';
import type { Shown } from './shown';
import { sheet } from './sheet.svelte';

/** What is being dragged or looked into, so that its marks are shown. */
export type Watched = 'points' | 'specks' | 'pinholes' | 'drop-out' | null;

class Settings {
    lift = $state<LiftRecipe | null>(null);
    weight = $state<WeightRecipe | null>(null);
    trace = $state<TraceRecipe | null>(null);
    join = $state<JoinRecipe | null>(null);
    facts = $state.raw<LiftFacts | null>(null);
    trade = $state.raw<Trade | null>(null);
    /** What the trace in hand gives. */
    traced = $state.raw<TraceTold | null>(null);
    trouble = $state<string | null>(null);
    watched = $state<Watched>(null);
    /** A slider is held: the picture has to be quick. */
    dragging = $state(false);
    /** When the setting in hand was moved last, or let go (performance.now()). */
    movedAt = 0;
    /** Something was moved that is not on its way to the server yet. */
    pending = $state(false);
    /** Whether the canvas shows what these settings give: at Lift, at Trace, and at Weight while it is the ink that is weighed. */
    shown = $derived(
        bench.station === 'lift' ||
            (bench.station === 'trace' && !!sheet.view?.lift) ||
            (bench.station === 'weight' && !!sheet.view?.lift && (bench.weighs === 'ink' || !sheet.view.traced)),
    );
    #of = '';
    #timer: ReturnType<typeof setTimeout> | undefined;

    /** What the ink on the canvas is made by. */
    get inking(): Inking | null {
        const view = sheet.view;
        if (!view || !this.lift || !this.weight) return null;
        return { lift: $state.snapshot(this.lift), weight: $state.snapshot(this.weight), by_hand: view.by_hand };
    }

    #saved({ recipes: { lift, weight, trace, join } }: Shown) {
        return [lift, weight, trace, join];
    }

    /** Takes over the saved settings when they are not those in hand. */
    follow() {
        const view = sheet.view;
        if (!view) return;
        const saved = JSON.stringify(this.#saved(view));
        const key = `${view.info.id}:${saved}`;
        const same = this.#of.startsWith(`${view.info.id}:`);
        // What is in hand is newer than what was saved.
        if (key === this.#of || (same && (this.pending || sheet.waiting > 0))) return;
        if (!same) [this.trade, this.traced] = [null, null];
        this.#of = key;
        type All = [LiftRecipe, WeightRecipe, TraceRecipe, JoinRecipe];
        [this.lift, this.weight, this.trace, this.join] = JSON.parse(saved) as All;
        if (view.lift) this.facts = view.lift;
        this.trouble = view.trouble;
    }

    /** A setting is moved: the canvas follows at once, it is saved when it is let go. */
    move(change: () => void, watched: Watched = null) {
        this.dragging = true;
        this.pending = true;
        this.watched = watched;
        this.movedAt = performance.now();
        change();
    }

    hear(facts: LiftFacts | null, trade: Trade | null, traced: TraceTold | null, trouble: string | null) {
        if (facts) this.facts = facts;
        if (trade) this.trade = trade;
        if (traced) this.traced = traced;
        this.trouble = trouble;
    }

    /**
     * Saves what is in hand; `soon`: when nothing more was moved for a moment. Gives whether what is in hand is what is
     * saved then.
     */
    async save(soon = false): Promise<boolean> {
        this.dragging = false;
        clearTimeout(this.#timer);
        if (soon) {
            this.pending = true;
            this.#timer = setTimeout(() => void this.save(), 400);
            return false;
        }
        this.watched = null;
        this.pending = false;
        this.movedAt = performance.now();
        const view = sheet.view;
        if (!view || !this.lift || !this.weight || !this.trace || !this.join) return false;
        const [lift, weight, trace, join] = $state.snapshot([this.lift, this.weight, this.trace, this.join] as const);
        const now = JSON.stringify([lift, weight, trace, join]);
        if (now === JSON.stringify(this.#saved(view))) return true;
        this.#of = `${view.info.id}:${now}`;
        const done = await sheet.do({
            of: 'settings',
            do: 'recipes',
            recipes: { ...view.recipes, lift, weight, trace, join },
        });
        // What was refused is in hand no more: what is saved is shown again.
        if (!done) {
            this.#of = `${view.info.id}:`;
            this.follow();
        }
        return done;
    }

    /** Changes the lift at one click. */
    setLift(change: Partial<LiftRecipe>) {
        if (this.lift) Object.assign(this.lift, change);
        return this.save();
    }

    /** Changes the weight at one click. */
    setWeight(change: Partial<WeightRecipe>) {
        if (this.weight) Object.assign(this.weight, change);
        return this.save();
    }

    /** Adds a pencil colour to those that are dropped. */
    async addSample(colour: [number, number, number]) {
        const had = this.lift?.drop_out ?? this.facts?.drop_out ?? [];
        await this.setLift({ drop_out: [...had, colour].slice(-8) });
    }
}

export const settings = new Settings();
