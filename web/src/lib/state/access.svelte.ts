/** Whether this server asks for a key, and as what I came in. */
import * as api from '../api';
import type { AccessTold } from '../types/AccessTold';

class Access {
    told = $state.raw<AccessTold>({ guarded: false, role: 'paint' });
    trouble = $state('');

    /** Nobody came in yet, or the key was changed. */
    locked = $derived(this.told.role === null);

    async load() {
        try {
            this.told = await api.access();
        } catch {
            // A server that is away is told by what is asked of it next.
        }
    }

    /** The server asked for a key. */
    lost() {
        this.told = { guarded: true, role: null };
    }

    async enter(key: string) {
        this.trouble = '';
        try {
            this.told = await api.enter(key);
            // What was asked for before is asked for again.
            location.reload();
        } catch (e) {
            this.trouble = e instanceof api.Refused ? `${e.told.error}. ${e.told.advice}` : String(e);
        }
    }

    async leave() {
        await api.leave().catch(() => {});
        this.lost();
    }
}

export const access = new Access();
api.page.locked = () => access.lost();
