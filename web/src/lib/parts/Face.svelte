<script lang="ts">
    import { initials } from '../state/people.svelte';

    interface Props {
        name: string;
        colour: string;
        /** px. */
        size?: number;
    }
    const { name, colour, size = 26 }: Props = $props();
</script>

<span
    class="grid shrink-0 place-items-center rounded-full font-bold text-white ring-2 ring-base-100"
    style:background={colour}
    style:width="{size}px"
    style:height="{size}px"
    style:font-size="{Math.max(12, size * 0.44)}px"
    aria-hidden="true">{initials(name)}</span
>
