/** Productions, shots and their drawings, kept up to date by the server's events. */
import * as api from '../api';
import { Latest } from '../api/latest';
import type { DrawingInfo } from '../types/DrawingInfo';
import type { Event as ShotEvent } from '../types/Event';
import type { ProductionInfo } from '../types/ProductionInfo';
import type { ShotInfo } from '../types/ShotInfo';
import type { ColourModel } from '../types/ColourModel';
import { jobs } from './jobs.svelte';
import { tell, tellError } from './notices.svelte';
import { parted, toned } from './paint';
import { people } from './people.svelte';
import { route } from './route.svelte';
import { sheet } from './sheet.svelte';

export interface Incoming {
    name: string;
    share: number;
    state: 'sending' | 'reading' | 'done' | 'failed';
    trouble: string;
    /** What of the file is missing or was left out. */
    notes: string[];
}

/** A drawing as it is listed, or as a step told of it if that is newer: names and holds are as listed. */
function newer(listed: DrawingInfo, told: DrawingInfo | undefined): DrawingInfo {
    if (!told || told.key !== listed.key || told.revision <= listed.revision) return listed;
    return { ...told, name: listed.name, hold: listed.hold };
}

class Shots {
    productions = $state<ProductionInfo[]>([]);
    loaded = $state(false);
    /** The shot that is looked at. */
    current = $state<number | null>(null);
    incoming = $state<Incoming[]>([]);
    #stop: (() => void) | null = null;
    #latest = new Latest();
    /** What steps told of drawings last. */
    #told = new Map<number, DrawingInfo>();
    #come!: () => void;
    /** Kept once it is known what there is and which shot is looked at: what comes sooner waits for it. */
    readonly known = new Promise<void>((come) => (this.#come = come));
    /** The change of the colours that is on its way, if one is. */
    changing: Promise<boolean> | null = null;

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
            // What was told of a drawing since the list was asked for is newer.
            for (const s of this.all) s.drawings = s.drawings.map((d) => newer(d, this.#told.get(d.id)));
            if (this.current === null) this.#lookAtFirst();
            this.#come();
        } catch (e) {
            tellError(e);
        }
    }

    /** The shot of the drawing that is opened, or the first there is. */
    #lookAtFirst() {
        const { place } = route;
        const of = place.at === 'drawing' && this.all.find((s) => s.drawings.some((d) => d.id === place.id));
        const first = of || this.shot;
        if (first) this.look(first.id);
    }

    look(id: number) {
        if (this.current === id && this.#stop) return;
        this.current = id;
        this.#stop?.();
        const readAgain = () => {
            void jobs.load(id);
            void people.load(id);
            void this.load().then(() => this.#catchUp());
        };
        const hear = (event: ShotEvent) => {
            if (event.what === 'drawing') {
                sheet.hear(event.id, event.revision);
                this.#hear(event);
            } else if (event.what === 'restored') location.reload();
            else if (event.what === 'people') void people.load(id);
            else readAgain();
        };
        // After an absence everything may be otherwise.
        this.#stop = api.listen(id, hear, readAgain);
        void jobs.load(id);
        void people.load(id);
    }

    /** A drawing as it is listed: what goes out changes it, and is no step. */
    listed(id: number | undefined) {
        return this.all.flatMap((s) => s.drawings).find((d) => d.id === id);
    }

    /** Somebody took a step: what is listed of its drawing is kept up by what is told of it. */
    #hear({ id, revision, progress, by }: Extract<ShotEvent, { what: 'drawing' }>) {
        const known = this.listed(id);
        if (!known) return void this.load();
        // What was done here is told by the answer to it.
        if (revision <= known.revision) return;
        const open = progress.join_open + progress.paint_open + progress.beyond;
        this.note({
            ...known,
            revision,
            progress,
            changed_since: known.handed_off || known.changed_since,
            handed_off: false,
            ready: progress.lifted && open === 0,
            changed_at: Date.now(),
            changed_by: by,
        });
    }

    /** What is listed may be newer than the drawing on the bench. */
    #catchUp() {
        const mine = sheet.view;
        const now = this.listed(mine?.info.id);
        if (now) sheet.hear(now.id, now.revision);
    }

    /** Takes over what a saved change says about a drawing. */
    note(info: DrawingInfo) {
        this.#told.set(info.id, info);
        for (const s of this.all) {
            const i = s.drawings.findIndex((d) => d.id === info.id);
            if (i >= 0) s.drawings[i] = info;
        }
    }

    /** Does something to shots or drawings, and shows them as they are then. Gives whether it was done. */
    async arrange(what: Promise<unknown>): Promise<boolean> {
        let done = true;
        try {
            await what;
        } catch (e) {
            done = false;
            tellError(e);
        }
        await this.load();
        return done;
    }

    /** Hangs a drawing of the shot before another, or behind it. */
    async hang(id: number, at: number, behind: boolean) {
        const { shot } = this;
        const moved = shot?.drawings.find((d) => d.id === id);
        if (!shot || !moved) return;
        const rest = shot.drawings.filter((d) => d.id !== id);
        const to = rest.findIndex((d) => d.id === at) + (behind ? 1 : 0);
        // It hangs there at once; what the server says comes after.
        shot.drawings = [...rest.slice(0, to), moved, ...rest.slice(to)];
        await this.arrange(
            api.setOrder(
                shot.id,
                shot.drawings.map((d) => d.id),
            ),
        );
    }

    /** Hangs a new scan in the place of a drawing. */
    async rescan(d: DrawingInfo, file: File) {
        const sending = api.rescan(d.id, file).then(({ notes }) => {
            const told = notes.length > 0 ? `${notes.join('. ')}.` : 'Nothing had been made by hand.';
            tell(`${d.name} is the new scan now`, `${told} The old one is kept: “Put away” brings it back.`);
        });
        await this.arrange(sending);
    }

    /** Takes a drawing off the peg bar; it can be brought back. */
    async takeOut(d: DrawingInfo) {
        if (!(await this.arrange(api.setAway('drawing', d.id, true)))) return;
        tell(`${d.name} was taken out`, 'It is kept: “Put away” at the foot of the shots brings it back.');
    }

    /** Brings files in, in the order of the numbers in their names; one bad file does not stop the others. */
    async bringIn(files: File[]) {
        if (files.length === 0) return;
        const byNumber = new Intl.Collator('en', { numeric: true });
        const sorted = [...files].sort((a, b) => byNumber.compare(a.name, b.name));
        const coming = sorted.map((f): Incoming => ({
            name: f.name,
            share: 0,
            state: 'sending',
            trouble: '',
            notes: [],
        }));
        const busy = this.incoming.some((r) => r.state === 'sending' || r.state === 'reading');
        this.incoming = [...(busy ? this.incoming : []), ...coming];
        const rows = this.incoming.slice(-coming.length);
        await this.known;
        const shot = this.shot;
        if (!shot) {
            const trouble =
                'There is no shot to bring it into. Add a shot, then bring it in again. Nothing was changed';
            for (const row of rows) Object.assign(row, { state: 'failed', trouble });
            return;
        }
        for (const [i, file] of sorted.entries()) {
            const row = rows[i];
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
        const done = (this.changing ?? Promise.resolve()).then(change);
        this.changing = done;
        void done.finally(() => {
            if (this.changing === done) this.changing = null;
        });
        return done;
    }
}

export const shots = new Shots();
