/** The lift's settings in hand: moved while a slider is dragged, saved when it is let go. */
import type { LiftFacts } from '../types/LiftFacts';
import type { LiftRecipe } from '../types/LiftRecipe';
import { sheet } from './sheet.svelte';

class Lift {
    draft = $state<LiftRecipe | null>(null);
    facts = $state.raw<LiftFacts | null>(null);
    trouble = $state<string | null>(null);
    #of = '';

    /** Takes over the saved settings when they are not those in hand. */
    follow() {
        const view = sheet.view;
        if (!view) return;
        const saved = JSON.stringify(view.recipes.lift);
        const key = `${view.info.id}:${saved}`;
        if (key === this.#of) return;
        this.#of = key;
        this.draft = JSON.parse(saved) as LiftRecipe;
        if (view.lift) this.facts = view.lift;
        this.trouble = view.trouble;
    }

    hear(facts: LiftFacts | null, trouble: string | null) {
        if (facts) this.facts = facts;
        this.trouble = trouble;
    }

    async save() {
        const view = sheet.view;
        if (!view || !this.draft) return;
        const lift = $state.snapshot(this.draft);
        if (JSON.stringify(lift) === JSON.stringify(view.recipes.lift)) return;
        this.#of = `${view.info.id}:${JSON.stringify(lift)}`;
        await sheet.do({ do: 'recipes', recipes: { ...view.recipes, lift } });
    }

    /** Adds a pencil colour to those that are dropped. */
    async addSample(colour: [number, number, number]) {
        if (!this.draft) return;
        const had = this.draft.drop_out ?? this.facts?.drop_out ?? [];
        this.draft.drop_out = [...had, colour].slice(-8);
        await this.save();
    }
}

export const lift = new Lift();
