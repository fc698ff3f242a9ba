/** Long work on the shot that is looked at, in the background. */
import * as api from '../api';
import { Latest } from '../api/latest';
import type { JobInfo } from '../types/JobInfo';
import { tellError } from './notices.svelte';

/** A row of what is told: one job, or several of one kind that have nothing of their own to offer. */
export interface Row extends JobInfo {
    jobs: number[];
}

/** Jobs as rows: those of one kind that run are one, and those that are over and left nothing to take or undo. */
export function rows(list: JobInfo[]): Row[] {
    const out: Row[] = [];
    const isBare = (j: JobInfo) => j.state === 'running' || j.steps + j.files === 0;
    for (const job of list) {
        const same = out.find((r) => isBare(job) && isBare(r) && r.what === job.what && r.state === job.state);
        if (!same) {
            out.push({ ...job, jobs: [job.id] });
            continue;
        }
        same.jobs.push(job.id);
        same.done += job.done;
        same.all += job.all;
        same.told = [...same.told, ...job.told.filter((line) => !same.told.includes(line))];
    }
    return out;
}

class Jobs {
    list = $state.raw<JobInfo[]>([]);
    dismissed = $state<number[]>([]);
    #of = 0;
    #latest = new Latest();

    shown = $derived(rows(this.list.filter((j) => !this.dismissed.includes(j.id))).slice(0, 3));
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

    async stop(row: Row) {
        try {
            await Promise.all(row.jobs.map((id) => api.stopJob(id)));
        } catch (e) {
            tellError(e);
        }
    }

    dismiss(row: Row) {
        this.dismissed = [...this.dismissed, ...row.jobs];
    }
}

export const jobs = new Jobs();
