/** The line whose points and handles are shown, as it is to the last digit. */
import * as api from '../api';
import type { Line } from '../types/Line';
import type { Pt } from '../types/Pt';
import { tellError } from './notices.svelte';
import { sheet } from './sheet.svelte';

export interface Chain {
    ring: number;
    points: Pt[];
    closed: boolean;
}

class Points {
    line = $state.raw<Line | null>(null);
    /** The drawing and the revision it is of. */
    #of = '';

    get chains(): Chain[] {
        const line = this.line;
        if (!line || this.#of !== this.#now(line.id)) return [];
        if (line.kind === 'outline') return line.contours.map((c, ring) => ({ ring, ...c }));
        return [{ ring: 0, ...line.spine }];
    }

    #now = (id: number) => `${sheet.view?.info.id} ${sheet.view?.info.revision} ${id}`;

    async take(id: number | null) {
        this.line = null;
        const view = sheet.view;
        if (id === null || !view) return;
        const of = this.#now(id);
        try {
            const [line] = await api.lines(view.info.id, [id]);
            if (of === this.#now(id) && line) [this.line, this.#of] = [line, of];
        } catch (e) {
            tellError(e);
        }
    }

    /** Sets the points of one of its chains. */
    async set({ ring }: Chain, points: Pt[]) {
        const id = this.line?.id;
        if (id === undefined) return;
        await sheet.do({ of: 'mend', do: 'reshape', line: id, ring, points });
        await this.take(sheet.view?.lines.get(id) ? id : null);
    }
}

export const points = new Points();
