<script lang="ts">
    import X from '@lucide/svelte/icons/x';
    import { jobZip } from '../api';
    import { jobs } from '../state/jobs.svelte';
    import { shots } from '../state/shots.svelte';
</script>

{#if jobs.shown.length > 0 && shots.incoming.length === 0}
    <section
        class="fixed bottom-[126px] left-4 z-30 w-[330px] rounded-xl bg-base-100 shadow-xl ring-1 ring-base-300"
        aria-label="In the background"
    >
        {#each jobs.shown as job (job.id)}
            <div class="border-t border-base-300 px-4 py-2.5 text-[13px] first:border-t-0">
                <div class="flex items-center gap-2">
                    <b class="flex-1">{job.what}</b>
                    <span data-testid="job-count">{job.done} of {job.all}</span>
                    {#if job.state === 'running'}
                        <button class="btn btn-ghost btn-xs text-error" onclick={() => jobs.stop(job)}>Stop</button>
                    {:else}
                        <span class="quiet">{job.state === 'done' ? 'done' : 'stopped, the rest is as it was'}</span>
                        <button class="cursor-pointer" aria-label="Close" onclick={() => jobs.dismiss(job)}
                            ><X size={15} /></button
                        >
                    {/if}
                </div>
                <progress
                    class="progress progress-primary mt-1 h-1.5 w-full"
                    value={job.done}
                    max={job.all}
                    aria-label="{job.what}: {job.done} of {job.all}"
                ></progress>
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
            </div>
        {/each}
    </section>
{/if}
