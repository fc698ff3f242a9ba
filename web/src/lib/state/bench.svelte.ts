/** How the bench is set: station, tool, camera, backdrop, compare, the swatch in hand. */
import { Camera } from '../canvas/camera.svelte';

export type Station = 'lift' | 'join' | 'paint' | 'hand-off';
export type Tool = 'look' | 'sample' | 'sweep' | 'seam' | 'take-away' | 'fill' | 'pick' | 'clear';
export type Backdrop = 'paper' | 'white' | 'grey' | 'black' | 'checker';

export const STATIONS: { id: Station; number: number; name: string }[] = [
    { id: 'lift', number: 1, name: 'Lift' },
    { id: 'join', number: 5, name: 'Join' },
    { id: 'paint', number: 6, name: 'Paint' },
    { id: 'hand-off', number: 7, name: 'Hand off' },
];

const FIRST_TOOL: Record<Station, Tool> = { lift: 'look', join: 'look', paint: 'fill', 'hand-off': 'look' };

class Bench {
    station = $state<Station>('lift');
    tool = $state<Tool>('look');
    backdrop = $state<Backdrop>('paper');
    /** The original is shown instead, while a key is held. */
    blink = $state(false);
    /** Where the wipe stands across the canvas, 0 to 1; `null`: no wipe. */
    wipe = $state<number | null>(null);
    swatch = $state<string | null>(null);
    theme = $state<'paper' | 'dusk'>('paper');
    keysShown = $state(false);
    camera = new Camera();

    enter(station: Station) {
        this.station = station;
        this.tool = FIRST_TOOL[station];
    }
}

export const bench = new Bench();
