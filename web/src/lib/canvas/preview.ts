/** The live picture of the lift: the ink that the settings in hand would give, for the part that is seen. */
import { liftPreview, Refused } from '../api';
import type { LiftFacts } from '../types/LiftFacts';
import type { LiftRecipe } from '../types/LiftRecipe';
import type { Window as SheetWindow } from '../types/Window';

interface Wish {
    drawing: number;
    recipe: LiftRecipe;
    window: SheetWindow;
}

/** Asks for one picture at a time; of the wishes made meanwhile only the last counts. */
export class Preview {
    picture: ImageBitmap | null = null;
    window: SheetWindow | null = null;
    drawing = 0;
    #wish: Wish | null = null;
    #asked = '';
    #busy = false;

    constructor(
        readonly changed: () => void,
        readonly heard: (facts: LiftFacts | null, trouble: string | null) => void,
    ) {}

    ask(wish: Wish) {
        const key = JSON.stringify(wish);
        if (key === this.#asked) return;
        this.#asked = key;
        this.#wish = wish;
        if (!this.#busy) void this.#run();
    }

    async #run() {
        this.#busy = true;
        while (this.#wish) {
            const wish = this.#wish;
            this.#wish = null;
            try {
                const { picture, facts } = await liftPreview(wish.drawing, wish.recipe, wish.window);
                this.picture?.close();
                this.picture = picture;
                this.window = wish.window;
                this.drawing = wish.drawing;
                this.heard(facts, null);
            } catch (e) {
                this.picture = null;
                this.heard(null, e instanceof Refused ? e.told.error : 'the preview could not be made');
            }
            this.changed();
        }
        this.#busy = false;
    }
}
