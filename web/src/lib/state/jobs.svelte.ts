/** Long work on the shot that is looked at, in the background. */
import * as api from '../api';
import { Latest } from '../api/latest';
import type { JobInfo } from '../types/JobInfo';
import { tellError } from './notices.svelte';

class Jobs {
    list = $state.raw<JobInfo[]>([]);
    dismissed = $state<number[]>([]);
    #of = 0;
    #latest = new Latest();

    shown = $derived(this.list.filter((j) => !this.dismissed.includes(j.id)).slice(0, 3));
    running = $derived(this.list.some((j) => j.state === 'running'));

    async load(shot: number) {
        this.#of = shot;
        try {
            const latest = await this.#latest.ask(() => api.jobs(shot));
            if (!latest || this.#of !== shot) return;
            const list = latest.told;
            // What was over when the page came is no news.
            if (this.list.length === 0) {
                this.dismissed = list.filter((j) => j.state !== 'running').map((j) => j.id);
            }
            this.list = list;
        } catch (e) {
            tellError(e);
        }
    }

    async begin(what: Promise<number>) {
        try {
            await what;
            if (this.#of !== 0) await this.load(this.#of);
        } catch (e) {
            tellError(e);
        }
    }

    async stop(job: JobInfo) {
        try {
            await api.stopJob(job.id);
        } catch (e) {
            tellError(e);
        }
    }

    dismiss(job: JobInfo) {
        this.dismissed = [...this.dismissed, job.id];
    }
}

export const jobs = new Jobs();
