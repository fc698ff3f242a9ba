/** Who works here: what I am called, and who else is in the shot, on which drawing. */
import * as api from '../api';
import { author } from '../api/author';
import type { Person } from '../types/Person';
import { tellError } from './notices.svelte';

type Rgb = [number, number, number];

/** The colours people choose from. */
export const COLOURS: Rgb[] = [
    [0x2f, 0x5d, 0x50],
    [0x9a, 0x5b, 0x13],
    [0x6a, 0x4a, 0x80],
    [0xb0, 0x3a, 0x2a],
    [0x2b, 0x6a, 0x8f],
    [0x8a, 0x3d, 0x66],
    [0x5b, 0x66, 0x1c],
    [0x4a, 0x4f, 0x5c],
];
/** How often a page says that it is still there, ms. */
const AGAIN = 20_000;
const KEPT_AS = 'me';

/** A colour made of an author, who chose none. */
function usual(of: string): Rgb {
    let n = 0;
    for (const c of of) n = (n * 31 + c.charCodeAt(0)) >>> 0;
    return COLOURS[n % COLOURS.length]!;
}

function kept(): { name: string; colour: Rgb } {
    const first = { name: '', colour: usual(author()) };
    try {
        return { ...first, ...(JSON.parse(localStorage.getItem(KEPT_AS) ?? '{}') as Partial<typeof first>) };
    } catch {
        return first;
    }
}

/** The first letters of somebody's names; somebody without one has a dot. */
export function initials(name: string): string {
    const words = name.trim().split(/\s+/).filter(Boolean);
    const letters = [words[0], words.length > 1 ? words[words.length - 1] : undefined];
    return letters.map((w) => [...(w ?? '')][0]?.toUpperCase() ?? '').join('') || '·';
}

class People {
    list = $state.raw<Person[]>([]);
    me = $state(kept());
    #of = 0;
    #place: { shot: number | null; drawing: number | null } = { shot: null, drawing: null };
    #timer: ReturnType<typeof setInterval> | undefined;

    /** The others who are in the shot. */
    others = $derived(this.list.filter((p) => p.here && p.author !== author()));

    /** The others on a drawing. */
    on(drawing: number): Person[] {
        return this.others.filter((p) => p.drawing === drawing);
    }

    colourOf(p: Person): string {
        return `rgb(${(p.colour ?? usual(p.author)).join(',')})`;
    }

    nameOf(p: Person): string {
        return p.name || 'somebody';
    }

    /** What the one who changed something is called; nothing if nobody knows. */
    called(who: string): string {
        if (who === author()) return 'you';
        return this.list.find((p) => p.author === who)?.name ?? '';
    }

    async load(shot: number) {
        this.#of = shot;
        try {
            const list = await api.people(shot);
            if (this.#of === shot) this.list = list;
        } catch (e) {
            tellError(e);
        }
    }

    async introduce(name: string, colour: Rgb) {
        const before = this.me;
        this.me = { name, colour };
        try {
            await api.introduce({ name, colour });
            localStorage.setItem(KEPT_AS, JSON.stringify(this.me));
        } catch (e) {
            this.me = before;
            tellError(e);
        }
    }

    /** Says where I am, now and again and again. */
    go(shot: number | null, drawing: number | null) {
        if (this.#place.shot === shot && this.#place.drawing === drawing && this.#timer) return;
        this.#place = { shot, drawing };
        clearInterval(this.#timer);
        // A server that is away is told by what is asked of it; this is said again anyway.
        const say = () => void api.here(this.#place).catch(() => {});
        say();
        this.#timer = setInterval(say, AGAIN);
    }

    /** Says that I am gone. */
    leave() {
        clearInterval(this.#timer);
        this.#timer = undefined;
        void api.here({ shot: null, drawing: null }).catch(() => {});
    }
}

export const people = new People();
