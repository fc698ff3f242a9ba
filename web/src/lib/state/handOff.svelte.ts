/** What goes out and how: as it was chosen last. */
import * as api from '../api';
import type { Format } from '../types/Format';
import type { HandOff } from '../types/HandOff';
import type { JobInfo } from '../types/JobInfo';
import type { NamesTold } from '../types/NamesTold';
import type { Outgoing } from '../types/Outgoing';
import { jobs } from './jobs.svelte';

const KEPT_AS = 'hand-off';

type How = Omit<HandOff, 'drawings' | 'anyway'>;

const USUAL: How = {
    formats: ['ink_png', 'paint_png', 'svg'],
    packed: { tiff: 'deflate', depth: 'eight' },
    leaving: { percent: 100, backdrop: null, cropped: false, chart: 'twelve', edge: 'soft' },
    naming: '{shot}_{drawing}_{layer}',
    repeat_holds: false,
    palette: true,
    report: true,
    to_folder: false,
};

function kept(): How {
    try {
        const was = JSON.parse(localStorage.getItem(KEPT_AS) ?? '{}') as Partial<How>;
        return {
            ...USUAL,
            ...was,
            leaving: { ...USUAL.leaving, ...was.leaving },
            packed: { ...USUAL.packed, ...was.packed },
        };
    } catch {
        return USUAL;
    }
}

class Outgo {
    how = $state<How>(kept());
    /** Names of the files as the pattern gives them; what is wrong with it. */
    names = $state.raw<NamesTold | null>(null);
    wrong = $state('');
    /** The drawings that go out; `null`: the one that is looked at. */
    picked = $state<number[] | null>(null);
    /** The job that was begun last. */
    job = $state(0);
    #asked = 0;

    /** How that job stands. */
    current = $derived<JobInfo | undefined>(jobs.list.find((j) => j.id === this.job));

    keep() {
        localStorage.setItem(KEPT_AS, JSON.stringify(this.how));
    }

    toggle(format: Format) {
        const had = this.how.formats.includes(format);
        this.how.formats = had ? this.how.formats.filter((f) => f !== format) : [...this.how.formats, format];
        this.keep();
    }

    asked(drawings: Outgoing[], anyway: boolean): HandOff {
        return { ...$state.snapshot(this.how), drawings, anyway };
    }

    /** Asks what the files would be called. */
    async ask(shot: number, drawings: Outgoing[]) {
        const number = ++this.#asked;
        let wrong = '';
        try {
            const names = await api.handOffNames(shot, this.asked(drawings, false));
            if (number === this.#asked) this.names = names;
        } catch (e) {
            wrong = e instanceof Error ? e.message : String(e);
        }
        // Of what was asked before, nobody wants to know.
        if (number === this.#asked) this.wrong = wrong;
    }

    /** Begins. Throws what the server says against it. */
    async begin(shot: number, drawings: Outgoing[], anyway: boolean) {
        this.job = await api.handOff(shot, this.asked(drawings, anyway));
        await jobs.load(shot);
    }

    /** Only the report, of which nothing counts as handed off. */
    async report(shot: number, drawings: Outgoing[]) {
        const how = { ...this.asked(drawings, false), formats: [], palette: false, to_folder: false, report: true };
        this.job = await api.handOff(shot, how);
        await jobs.load(shot);
    }
}

export const outgo = new Outgo();
