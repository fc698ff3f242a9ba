/** How the bench is set: station, tool, camera, backdrop, compare, the swatch in hand. */
import type { Chart } from '../geometry/chart';
import { Camera } from '../geometry/camera.svelte';
import type { Effect } from '../types/Effect';
import type { EndStyle } from '../types/EndStyle';
import type { Pt } from '../types/Pt';

export type Station = 'intake' | 'lift' | 'weight' | 'trace' | 'draw' | 'join' | 'paint' | 'hand-off';
export type ToolId =
    | 'look'
    | 'level'
    | 'crop'
    | 'corners'
    | 'marks'
    | 'sample'
    | 'touch'
    | 'protect'
    | 'area'
    | 'choose'
    | 'ink'
    | 'line'
    | 'rectangle'
    | 'ellipse'
    | 'curves'
    | 'rough'
    | 'redraw'
    | 'calm'
    | 'press'
    | 'bend'
    | 'points'
    | 'erase'
    | 'hold'
    | 'sweep'
    | 'cut'
    | 'seam'
    | 'span'
    | 'leak'
    | 'take-away'
    | 'fill'
    | 'empties'
    | 'swap'
    | 'tone-cut'
    | 'line-colour'
    | 'pick'
    | 'clear';
export type Backdrop = 'paper' | 'white' | 'grey' | 'black' | 'checker' | 'colour';

/** `number`: the key; Intake comes before the seven stations. */
export const STATIONS: { id: Station; number: number | 'I'; name: string }[] = [
    { id: 'intake', number: 'I', name: 'Intake' },
    { id: 'lift', number: 1, name: 'Lift' },
    { id: 'weight', number: 2, name: 'Weight' },
    { id: 'trace', number: 3, name: 'Trace' },
    { id: 'draw', number: 4, name: 'Draw' },
    { id: 'join', number: 5, name: 'Join' },
    { id: 'paint', number: 6, name: 'Paint' },
    { id: 'hand-off', number: 7, name: 'Hand off' },
];

const FIRST_TOOL: Record<Station, ToolId> = {
    intake: 'look',
    lift: 'look',
    weight: 'look',
    trace: 'look',
    draw: 'ink',
    join: 'look',
    paint: 'fill',
    'hand-off': 'look',
};

class Bench {
    station = $state<Station>('lift');
    tool = $state<ToolId>('look');
    backdrop = $state<Backdrop>('paper');
    /** The original is shown instead, while a key is held. */
    blink = $state(false);
    /** Where the wipe stands across the canvas, 0 to 1; `null`: no wipe. */
    wipe = $state<number | null>(null);
    /** The result is tinted loud over the original. */
    tint = $state(false);
    /** The middle paths are shown at Trace. */
    showMiddles = $state(true);
    /** The backdrop of any colour. */
    anyColour = $state('#7fa3c7');
    /** What of the drawing is shown at Paint. */
    shows = $state<'both' | 'lines' | 'paint'>('both');
    /** The touch-up brush; `size` in px of the sheet. */
    brush = $state({ size: 60, hardness: 0.6, strength: 1, takesOff: false });
    /** What the touch-up brush paints at Lift. */
    effect = $state<Effect>('more');
    showArea = $state(true);
    /** What the Weight station works on. */
    weighs = $state<'ink' | 'lines'>('ink');
    /** Lines in hand, by id. */
    chosen = $state<number[]>([]);
    /** How lines end where they are cut out. */
    cutEnds = $state<EndStyle>('along_cutter');
    /** What is cut out at Draw comes loose, and is in hand then. */
    cutLoose = $state(false);
    /** Corners being moved, px of the original. */
    corners = $state<Pt[] | null>(null);
    /** The chart at Draw, and whether ink lies over it. */
    chart = $state<Chart>('none');
    chartUnder = $state(true);
    /** While Ctrl is held new ink catches nothing. */
    free = $state(false);
    theme = $state<'paper' | 'dusk'>('paper');
    keysShown = $state(false);
    camera = new Camera();

    /** The paper's corners are being moved, on the original. */
    get squaring(): boolean {
        return this.station === 'intake' && this.tool === 'corners' && this.corners !== null;
    }

    /** What the tool in hand paints; `null`: it paints nothing. */
    get paints(): Effect | null {
        if (this.tool !== 'touch' && this.tool !== 'area') return null;
        return this.station === 'weight' ? 'weight' : this.effect;
    }

    /** Lines and paint, lines alone, paint alone. */
    showNext() {
        const all = ['both', 'lines', 'paint'] as const;
        this.shows = all[(all.indexOf(this.shows) + 1) % 3] ?? 'both';
    }

    enter(station: Station) {
        // A trace is judged against the original.
        if (station === 'trace' && this.station !== 'trace') this.tint = true;
        if (station !== 'trace' && this.station === 'trace') this.tint = false;
        this.station = station;
        this.tool = FIRST_TOOL[station];
        this.corners = null;
        this.chosen = [];
    }
}

export const bench = new Bench();
