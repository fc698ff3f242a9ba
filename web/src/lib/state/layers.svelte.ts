/** The layers of the file that the drawing in hand came in: some are the ink, another may be a rough or a reference. */
import * as api from '../api';
import type { FileLayer } from '../types/FileLayer';
import { tell, tellError } from './notices.svelte';
import { reference } from './reference.svelte';
import { sheet } from './sheet.svelte';

class Layers {
    /** The topmost first. */
    names = $state.raw<string[]>([]);
    #of = '';

    /** Reads the names of a drawing's layers, once. */
    async enter(id: number, key: string) {
        if (this.#of === key) return;
        [this.#of, this.names] = [key, []];
        try {
            const names = await api.layersOf(id);
            if (this.#of === key) this.names = names;
        } catch (e) {
            this.#of = '';
            tellError(e);
        }
    }

    /** The layer that is the ink where nobody chose. */
    get #called(): number {
        return this.names.findIndex((name) => name.split(' / ').at(-1)?.toLowerCase() === 'ink');
    }

    /** The layers that the ink is taken of; `null`: all, as the file looks. */
    get ink(): number[] | null {
        const chosen = sheet.view?.recipes.intake.layer;
        if (chosen && chosen !== 'whole') return chosen.numbers;
        return chosen === 'whole' || this.#called < 0 ? null : [this.#called];
    }

    /** Takes a layer to the ink or off it; the last one stays. */
    toggleInk(layer: number) {
        const ink = this.ink ?? [];
        const after = ink.includes(layer) ? ink.filter((n) => n !== layer) : [...ink, layer].sort((a, b) => a - b);
        return after.length ? this.#takeInk({ numbers: after }) : Promise.resolve(false);
    }

    /** Takes the whole picture as the file looks for the ink, or again one layer. */
    toggleWhole() {
        return this.#takeInk(this.ink === null ? { numbers: [Math.max(0, this.#called)] } : 'whole');
    }

    #takeInk(chosen: FileLayer) {
        const view = sheet.view;
        if (!view) return Promise.resolve(false);
        return sheet.do({ of: 'intake', do: 'intake', intake: { ...view.recipes.intake, layer: chosen } });
    }

    /** Shows a layer as the picture that colours are picked from. */
    async refer(layer: number) {
        const view = sheet.view;
        if (!view) return;
        const whole = { x: 0, y: 0, width: view.width, height: view.height, level: 0 };
        const url = api.pictureUrl(view.info, `layer-${layer}`, whole, view.info.revision);
        await reference.fetch(url, this.names[layer] ?? '');
        if (reference.picture) tell(`${this.names[layer]} is the reference`, 'It stands beside the drawing at Paint.');
    }
}

export const layers = new Layers();
