import vue from '@vitejs/plugin-vue'
import type { Plugin } from 'vite'
import { VitePWA } from 'vite-plugin-pwa'
import { defineConfig } from 'vitest/config'

// What every stage needs comes in a few files: dozens of small ones cost a slow machine more than their code does.
const FRAME = /node_modules\/(@vue|vue|vue-router|@vueuse|@tanstack|openapi-fetch)\//
const SHARED =
  /src\/(api|job|record)\/|src\/ui\/(?!PlotBox|plot|PickList|message|PrefsDialog|DateField|FileButton|WorkBar|ViewTabs)|src\/workspace\/(WorkspaceView|SpineNav|FindingsColumn|RuleSays|gather)|src\/library\/(NewerProfiles|use-library|use-profile)|src\/stages\/registry/
const ELEMENTS =
  /node_modules\/element-plus\/es\/(hooks|utils|constants|locale|directives|components\/(segmented|icon|config-provider|form)\/)/
const CHUNKS = [
  { name: 'frame', test: FRAME, priority: 3 },
  { name: 'elements', test: ELEMENTS, priority: 2 },
  { name: 'shared', test: SHARED, priority: 1 },
]

const LETTERS = /source-sans-3-latin-wght-normal.*woff2$/
/** The letters come with the page, not after its styles: the first words are laid out once. */
const lettersFirst: Plugin = {
  name: 'letters-first',
  transformIndexHtml: {
    order: 'post',
    handler(_, { bundle }) {
      const file = Object.keys(bundle ?? {}).find((name) => LETTERS.test(name))
      const attrs = { rel: 'preload', as: 'font', type: 'font/woff2', crossorigin: '', href: `/static/${file}` }
      return file ? [{ tag: 'link', attrs, injectTo: 'head-prepend' }] : []
    },
  },
}

const ALONE = 'tests/use-job.test.ts'
const TESTS = { environment: 'jsdom', include: ['tests/**/*.test.ts'], server: { deps: { inline: ['element-plus'] } } }

// The built front end is served by the Python server under /static/.
export default defineConfig({
  base: '/static/',
  plugins: [
    vue(),
    lettersFirst,
    // What makes it open without a network: the built files, and the last answers that a day on site needs.
    VitePWA({
      injectRegister: false,
      registerType: 'autoUpdate',
      includeManifestIcons: false,
      manifestFilename: 'app.webmanifest',
      manifest: {
        name: 'Ewerer',
        short_name: 'Ewerer',
        description: 'Plans and records the commissioning of lithium banks and inverter-chargers',
        start_url: '/',
        scope: '/',
        display: 'standalone',
        background_color: '#eef0ee',
        theme_color: '#f8f9f7',
        icons: [{ src: '/static/mark.svg', sizes: 'any', type: 'image/svg+xml' }],
      },
      workbox: {
        inlineWorkboxRuntime: true,
        clientsClaim: true,
        skipWaiting: true,
        modifyURLPrefix: { '': '/static/' },
        globPatterns: ['**/*.{js,css,html,svg,woff2}'],
        navigateFallback: '/static/index.html',
        navigateFallbackDenylist: [/^\/api\//, /^\/static\//, /^\/health/],
        maximumFileSizeToCacheInBytes: 4_000_000,
        runtimeCaching: [
          {
            urlPattern: ({ url, request }) =>
              request.method === 'GET' &&
              /^\/api\/(session|stages|fields|quantities|symptoms|instruments|jobs|jobs\/[0-9a-f-]+(\/(opening|run|record|photos\/[^/]+))?|library.*)$/.test(
                url.pathname,
              ),
            handler: 'NetworkFirst',
            options: { cacheName: 'answers', cacheableResponse: { statuses: [200] } },
          },
        ],
      },
    }),
  ],
  build: {
    outDir: '../src/ewerer/server/static',
    emptyOutDir: true,
    target: 'es2022',
    reportCompressedSize: false,
    rolldownOptions: { output: { codeSplitting: { groups: CHUNKS } } },
  },
  server: { proxy: { '/api': 'http://127.0.0.1:8017' } },
  test: {
    pool: 'threads',
    projects: [
      // An environment for each file costs more than all tests: they share one, but for the one that counts what is saved.
      { extends: true, test: { name: 'together', ...TESTS, exclude: [ALONE], isolate: false } },
      { extends: true, test: { name: 'alone', ...TESTS, include: [ALONE] } },
    ],
  },
})
