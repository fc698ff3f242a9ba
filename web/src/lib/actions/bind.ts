/** The keys of all actions, bound to the page. */
import { tinykeys } from 'tinykeys';
import { route } from '../state/route.svelte';
import { type Action, GROUPS } from './actions';

/** Whoever types in a field or reads a dialog means no action. */
const TYPING =
    'input:not([type=range]):not([type=checkbox]):not([type=radio]):not([type=color]), textarea, select, dialog';
const isTyping = (e: Event) => !!(e.target as HTMLElement).closest(TYPING);

/** What each bound key does, by its name; refuses that two do the same. */
export function bindings(actions: Action[]): Map<string, (e: KeyboardEvent) => void> {
    const out = new Map<string, (e: KeyboardEvent) => void>();
    for (const { keys, anywhere } of actions) {
        for (const { on, run, when } of keys) {
            for (const name of on ?? []) {
                if (out.has(name)) throw new Error(`two actions are bound to ${name}`);
                out.set(name, (e) => {
                    if (isTyping(e) || (!anywhere && route.place.at !== 'drawing') || when?.() === false) return;
                    e.preventDefault();
                    run?.(name);
                });
            }
        }
    }
    return out;
}

/** Binds them; gives how to let go of them. */
export function bind(): () => void {
    const actions = GROUPS.flatMap((g) => g.actions);
    const released = actions.flatMap((a) => a.keys).filter((k) => k.release);
    const up = released.flatMap(({ on, release }) => (on ?? []).map((name) => [name, () => release?.()] as const));
    const stops = [
        tinykeys(window, Object.fromEntries(bindings(actions))),
        tinykeys(window, Object.fromEntries(up), { event: 'keyup' }),
    ];
    return () => stops.forEach((stop) => stop());
}
