import { svelte } from '@sveltejs/vite-plugin-svelte';
import tailwindcss from '@tailwindcss/vite';
import { defineConfig } from 'vitest/config';

export default defineConfig({
    plugins: [tailwindcss(), svelte()],
    server: { proxy: { '/api': 'http://127.0.0.1:7411' } },
    build: { target: 'es2023', chunkSizeWarningLimit: 900 },
    // A machine with much to do takes long over what is done in no time elsewhere.
    test: { testTimeout: 60_000 },
});
