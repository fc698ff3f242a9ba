/** Productions, shots and their drawings, kept up to date by the server's events. */
import * as api from '../api';
import type { ProductionInfo } from '../types/ProductionInfo';
import type { ShotInfo } from '../types/ShotInfo';
import type { Swatch } from '../types/Swatch';
import { jobs } from './jobs.svelte';
import { tellError } from './notices.svelte';
import { sheet } from './sheet.svelte';

export interface Incoming {
    name: string;
    share: number;
    state: 'sending' | 'reading' | 'done' | 'failed';
    trouble: string;
}

class Shots {
    productions = $state<ProductionInfo[]>([]);
    loaded = $state(false);
    /** The shot that is looked at. */
    current = $state<number | null>(null);
    incoming = $state<Incoming[]>([]);
    #stop: (() => void) | null = null;

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
    colours = $derived(new Map((this.shot?.swatches ?? []).map((s) => [s.id, `rgb(${s.colour.join(',')})`])));

    async load() {
        try {
            this.productions = await api.productions();
            this.loaded = true;
        } catch (e) {
            tellError(e);
        }
    }

    look(id: number) {
        if (this.current === id && this.#stop) return;
        this.current = id;
        this.#stop?.();
        this.#stop = api.listen(id, (event) => {
            if (event.what === 'drawing') {
                const mine = sheet.view;
                // What was done here is told by the answer to it.
                if (mine?.info.id === event.id && (sheet.waiting > 0 || event.revision <= mine.info.revision)) return;
                if (mine?.info.id === event.id) void sheet.catchUp();
                void this.load();
            } else if (event.what === 'jobs') {
                void jobs.load(id);
                void this.load().then(() => this.#catchUp());
            } else void this.load();
        });
        void jobs.load(id);
    }

    /** Background work may have changed the drawing on the bench. */
    #catchUp() {
        const mine = sheet.view;
        const now = this.all.flatMap((s) => s.drawings).find((d) => d.id === mine?.info.id);
        if (mine && now && now.revision > mine.info.revision) void sheet.catchUp();
    }

    /** Takes over what a saved change says about a drawing. */
    note(info: ShotInfo['drawings'][number]) {
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
        this.incoming = sorted.map((f) => ({ name: f.name, share: 0, state: 'sending', trouble: '' }));
        for (const [i, file] of sorted.entries()) {
            const row = this.incoming[i];
            if (!row) continue;
            try {
                await api.upload(shot.id, file, (share) => {
                    row.share = share;
                    if (share >= 1) row.state = 'reading';
                });
                row.state = 'done';
            } catch (e) {
                row.state = 'failed';
                row.trouble = e instanceof api.Refused ? `${e.told.error}. ${e.told.advice}` : String(e);
            }
        }
        await this.load();
    }

    async setSwatches(swatches: Swatch[]) {
        const shot = this.shot;
        if (!shot) return;
        try {
            await api.setSwatches(shot.id, shot.revision, swatches);
        } catch (e) {
            tellError(e);
        }
        await this.load();
    }
}

export const shots = new Shots();
