<script lang="ts">
    import ChevronDown from '@lucide/svelte/icons/chevron-down';
    import ChevronUp from '@lucide/svelte/icons/chevron-up';
    import X from '@lucide/svelte/icons/x';
    import { jobZip, undoJob } from '../api';
    import { jobs } from '../state/jobs.svelte';
    import { route } from '../state/route.svelte';
    import { shots } from '../state/shots.svelte';
    import type { JobInfo } from '../types/JobInfo';

    /** Beside a drawing each is one line, where no tool lies; it unfolds there. */
    const folds = $derived(route.place.at === 'drawing');
    let unfolded = $state<number[]>([]);
    const isWhole = (job: JobInfo) => !folds || unfolded.includes(job.id);
    const tells = (job: JobInfo) =>
        job.told.length > 0 || job.state === 'stopped' || (job.state === 'done' && job.steps + job.files > 0);

    function turn(job: JobInfo) {
        unfolded = isWhole(job) ? unfolded.filter((id) => id !== job.id) : [...unfolded, job.id];
    }
</script>

{#if jobs.shown.length > 0 && shots.incoming.length === 0}
    <section
        class="fixed z-30 rounded-xl bg-base-100 ring-1 ring-base-300 {folds
            ? 'top-[108px] left-3 w-[300px] shadow-md'
            : 'bottom-[126px] left-4 w-[330px] shadow-xl'}"
        aria-label="In the background"
    >
        {#each jobs.shown as job (job.id)}
            <div class="border-t border-base-300 text-[13px] first:border-t-0 {folds ? 'px-3 py-1.5' : 'px-4 py-2.5'}">
                <div class="flex items-center gap-2">
                    <b class="flex-1">{job.what}</b>
                    <span data-testid="job-count">{job.done} of {job.all}</span>
                    {#if job.state === 'running'}
                        <button class="btn btn-ghost btn-xs text-error" onclick={() => jobs.stop(job)}>Stop</button>
                    {:else if !folds}
                        <span class="quiet">{job.state === 'done' ? 'done' : 'stopped, the rest is as it was'}</span>
                    {/if}
                    {#if folds && tells(job)}
                        <button
                            class="cursor-pointer"
                            aria-expanded={isWhole(job)}
                            aria-label="What it did"
                            title="What it did"
                            onclick={() => turn(job)}
                            >{#if isWhole(job)}<ChevronUp size={15} />{:else}<ChevronDown size={15} />{/if}</button
                        >
                    {/if}
                    {#if job.state !== 'running'}
                        <button class="cursor-pointer" aria-label="Close" onclick={() => jobs.dismiss(job)}
                            ><X size={15} /></button
                        >
                    {/if}
                </div>
                {#if job.state === 'running' || !folds}
                    <progress
                        class="progress progress-primary mt-1 h-1.5 w-full"
                        value={job.done}
                        max={job.all}
                        aria-label="{job.what}: {job.done} of {job.all}"
                    ></progress>
                {/if}
                {#if isWhole(job)}
                    {#if folds && job.state === 'stopped'}<p class="quiet">stopped, the rest is as it was</p>{/if}
                    {#if job.state !== 'running' && job.steps > 0}
                        <button class="link mt-1 cursor-pointer" onclick={() => void jobs.begin(undoJob(job.id))}
                            >Undo in {job.steps} drawing{job.steps === 1 ? '' : 's'}</button
                        >
                    {/if}
                    {#if job.state !== 'running' && job.files > 0}
                        <a class="link mt-1 inline-block" href={jobZip(job.id)} download
                            >{job.files} file{job.files === 1 ? '' : 's'} in one ZIP</a
                        >
                    {/if}
                    {#if job.told.length > 0}
                        <ul class="quiet mt-1 max-h-[70px] overflow-y-auto text-[12.5px]">
                            {#each job.told as line, i (i)}<li>{line}</li>{/each}
                        </ul>
                    {/if}
                {/if}
            </div>
        {/each}
    </section>
{/if}
