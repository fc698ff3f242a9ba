/** Where the application is, kept in the address so that a reload comes back to it. */
import { bench, STATIONS, type Station } from './bench.svelte';

export type Place = { at: 'shots' } | { at: 'drawing'; id: number; station: Station };

function read(): Place {
    const [, what, id, station] = location.hash.split('/');
    if (what === 'drawing' && Number(id) > 0) {
        const known = STATIONS.find((s) => s.id === station)?.id ?? 'lift';
        return { at: 'drawing', id: Number(id), station: known };
    }
    return { at: 'shots' };
}

export const route = $state<{ place: Place }>({ place: read() });

export function go(place: Place) {
    const hash = place.at === 'shots' ? '#/' : `#/drawing/${place.id}/${place.station}`;
    if (location.hash !== hash) location.hash = hash;
    else route.place = place;
}

/** The station changed by other means: the address follows without a step of its own. */
export function follow(id: number) {
    const hash = `#/drawing/${id}/${bench.station}`;
    if (location.hash !== hash) history.replaceState(null, '', hash);
}

window.addEventListener('hashchange', () => (route.place = read()));
