/** Productions, shots and their drawings, kept up to date by the server's events. */
import * as api from '../api';
import { Latest } from '../api/latest';
import type { Event as ShotEvent } from '../types/Event';
import type { ProductionInfo } from '../types/ProductionInfo';
import type { ShotInfo } from '../types/ShotInfo';
import type { ColourModel } from '../types/ColourModel';
import { jobs } from './jobs.svelte';
import { tellError } from './notices.svelte';
import { parted, toned } from './paint';
import { sheet } from './sheet.svelte';

export interface Incoming {
    name: string;
    share: number;
    state: 'sending' | 'reading' | 'done' | 'failed';
    trouble: string;
    /** What of the file is missing or was left out. */
    notes: string[];
}

class Shots {
    productions = $state<ProductionInfo[]>([]);
    loaded = $state(false);
    /** The shot that is looked at. */
    current = $state<number | null>(null);
    incoming = $state<Incoming[]>([]);
    #stop: (() => void) | null = null;
    #latest = new Latest();
    #changing: Promise<unknown> = Promise.resolve();

    get all(): ShotInfo[] {
        return this.productions.flatMap((p) => p.shots);
    }

    get shot(): ShotInfo | undefined {
        return this.all.find((s) => s.id === this.current) ?? this.all[0];
    }

    get production(): ProductionInfo | undefined {
        return this.productions.find((p) => p.shots.some((s) => s.id === this.shot?.id)) ?? this.productions[0];
    }

    /** The colours of the shot's swatches, for drawing. */
    rgb = $derived.by(() => {
        const { swatches = [], tones = [] } = this.shot ?? {};
        type Named = [string, [number, number, number]];
        // A tone that a swatch does not have is its base.
        return new Map(
            swatches.flatMap((s): Named[] => [
                [s.id, s.colour],
                ...tones.map((t): Named => [toned(s.id, t.id), s.tones[t.id] ?? s.colour]),
            ]),
        );
    });
    /** A colour that is tried before it is set. */
    trying = $state.raw<{ paint: string; colour: [number, number, number] } | null>(null);
    colours = $derived.by(() => {
        const { trying } = this;
        return new Map(
            [...this.rgb].map(([paint, rgb]) => {
                const [r, g, b] = trying?.paint === paint ? trying.colour : rgb;
                return [paint, `rgb(${r},${g},${b})`];
            }),
        );
    });

    /** The name of paint of the shot: its swatch, and its tone. */
    nameOf(paint: string): string {
        const [id, tone] = parted(paint);
        const name = this.shot?.swatches.find((s) => s.id === id)?.name ?? 'a swatch that is no more';
        const toned = tone && (this.shot?.tones.find((t) => t.id === tone)?.name ?? tone);
        return toned ? `${name}, ${toned.toLowerCase()}` : name;
    }

    async load() {
        try {
            const latest = await this.#latest.ask(api.productions);
            if (!latest) return;
            this.productions = latest.told;
            this.loaded = true;
        } catch (e) {
            tellError(e);
        }
    }

    look(id: number) {
        if (this.current === id && this.#stop) return;
        this.current = id;
        this.#stop?.();
        const readAgain = () => {
            void jobs.load(id);
            void this.load().then(() => this.#catchUp());
        };
        const hear = (event: ShotEvent) => {
            if (event.what === 'drawing') {
                const mine = sheet.view?.info;
                sheet.hear(event.id, event.revision);
                // What was done here is told by the answer to it.
                if (mine?.id !== event.id || (sheet.waiting === 0 && event.revision > mine.revision)) void this.load();
            } else readAgain();
        };
        // After an absence everything may be otherwise.
        this.#stop = api.listen(id, hear, readAgain);
        void jobs.load(id);
    }

    /** A drawing as it is listed: what goes out changes it, and is no step. */
    listed(id: number | undefined) {
        return this.all.flatMap((s) => s.drawings).find((d) => d.id === id);
    }

    /** What is listed may be newer than the drawing on the bench. */
    #catchUp() {
        const mine = sheet.view;
        const now = this.listed(mine?.info.id);
        if (now) sheet.hear(now.id, now.revision);
    }

    /** Takes over what a saved change says about a drawing; a list that was asked for before would be older. */
    note(info: ShotInfo['drawings'][number]) {
        this.#latest.forget();
        for (const s of this.all) {
            const i = s.drawings.findIndex((d) => d.id === info.id);
            if (i >= 0) s.drawings[i] = info;
        }
    }

    /** Brings files in, in the order of the numbers in their names; one bad file does not stop the others. */
    async bringIn(files: File[]) {
        const shot = this.shot;
        if (!shot || files.length === 0) return;
        const byNumber = new Intl.Collator('en', { numeric: true });
        const sorted = [...files].sort((a, b) => byNumber.compare(a.name, b.name));
        this.incoming = sorted.map((f) => ({ name: f.name, share: 0, state: 'sending', trouble: '', notes: [] }));
        for (const [i, file] of sorted.entries()) {
            const row = this.incoming[i];
            if (!row) continue;
            try {
                const came = await api.upload(shot.id, file, (share) => {
                    row.share = share;
                    if (share >= 1) row.state = 'reading';
                });
                row.state = 'done';
                row.notes = came.notes;
            } catch (e) {
                row.state = 'failed';
                row.trouble = e instanceof api.Refused ? `${e.told.error}. ${e.told.advice}` : String(e);
            }
        }
        await this.load();
    }

    /** Hangs a bare sheet behind the others, named on from the last one. Gives its number, if it came. */
    async addBlank(size: { width: number; height: number; dpi: number }): Promise<number | null> {
        const shot = this.shot;
        if (!shot) return null;
        const last = shot.drawings[shot.drawings.length - 1]?.name ?? 'A-00';
        const name = /\d/.test(last)
            ? last.replace(/\d+(?=\D*$)/, (n) => String(Number(n) + 1).padStart(n.length, '0'))
            : `${last} 2`;
        try {
            const { id } = await api.addBlank(shot.id, { name, ...size });
            await this.load();
            return id;
        } catch (e) {
            tellError(e);
            return null;
        }
    }

    /** Changes the colour model, one change after the other, each of what the one before left. Gives whether it was taken. */
    setColours(make: (model: ColourModel) => ColourModel): Promise<boolean> {
        const change = async () => {
            const shot = this.shot;
            if (!shot) return false;
            let taken = true;
            try {
                await api.setColours(shot.id, shot.revision, make({ tones: shot.tones, swatches: shot.swatches }));
            } catch (e) {
                taken = false;
                tellError(e);
            }
            await this.load();
            return taken;
        };
        const done = this.#changing.then(change);
        this.#changing = done;
        return done;
    }
}

export const shots = new Shots();
