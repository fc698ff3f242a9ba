/** Messages to the artist: what happened, what was kept, what to do. */
import { Refused } from '../api';

export interface Notice {
    id: number;
    title: string;
    advice: string;
    bad: boolean;
}

let next = 1;
export const notices = $state<{ list: Notice[] }>({ list: [] });

export function tell(title: string, advice = '', bad = false) {
    const id = next++;
    // The same again is said once, for longer.
    const others = notices.list.filter((n) => n.title !== title || n.advice !== advice);
    notices.list = [...others.slice(-3), { id, title, advice, bad }];
    setTimeout(() => dismiss(id), bad ? 12000 : 4000);
}

export function dismiss(id: number) {
    notices.list = notices.list.filter((n) => n.id !== id);
}

function sentence(text: string) {
    return text.charAt(0).toUpperCase() + text.slice(1) + (/[.!?]$/.test(text) ? '' : '.');
}

export function tellError(error: unknown, about = '') {
    // A key that is asked for is asked for on a page of its own.
    if (error instanceof Refused && error.status === 401) return;
    const name = about ? `${about}: ` : '';
    if (error instanceof Refused) tell(name + sentence(error.told.error), error.told.advice, true);
    else tell(name + sentence(String(error)), 'Nothing was changed.', true);
}
