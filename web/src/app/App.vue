<script setup lang="ts">
import { NButton, NConfigProvider, NMessageProvider, NModal, darkTheme } from 'naive-ui'
import { ref, watchEffect } from 'vue'
import { useEventListener } from '@vueuse/core'
import { RouterLink, RouterView, useRoute, useRouter } from 'vue-router'

import { applyTokens, dark, overrides, useTokens } from './theme'
import HeatStrip from '../live/HeatStrip.vue'
import { SENDS, dialogOf } from '../ui/onward'
import FindDialog from './FindDialog.vue'
import { useKeptFocus } from './keptFocus'

const tokens = useTokens()
useKeptFocus()
watchEffect(() => {
  applyTokens(tokens.value)
})
const keysShown = ref(false)
const findShown = ref(false)
const router = useRouter()
const route = useRoute()
const here = (at: string) => (at === '/' ? route.path === '/' : route.path.startsWith(at))

const keys = [
  ['Enter', 'next reading, question or picture'],
  ['first letter, number', 'answers a question, takes a picture'],
  ['1, 2, 3 …', 'What is wrong?: the answer with that number'],
  ['Ctrl + Enter', 'close the station, start the job, look for the cause, send what a dialog asks'],
  ['Ctrl + .', 'something happened to this job: a part, a return, a pause, an end'],
  ['Esc', 'back to the bench; nothing is lost'],
  ['/', 'find a printer or job'],
  ['B, J, P, T, L, H', 'Bench, Jobs, Prints, Heat logs, Logbook, House rules'],
  ['letter of a part', 'on the drawing: replaced or not'],
  ['?', 'this list'],
]
const pages = [
  ['/', 'Bench'],
  ['/jobs', 'Jobs'],
  ['/prints', 'Prints'],
  ['/traces', 'Heat logs'],
  ['/logbook', 'Logbook'],
  ['/rules', 'House rules'],
] as const
const places: Record<string, string> = {
  b: '/',
  j: '/jobs',
  p: '/prints',
  t: '/traces',
  l: '/logbook',
  h: '/rules',
}

useEventListener(document, 'keydown', (event: KeyboardEvent) => {
  const at = event.target as HTMLElement
  const dialog = dialogOf(event)
  const typing =
    at.matches('input, textarea') ||
    // A list that is chosen from by typing.
    at.closest('.n-base-selection') !== null ||
    dialog !== null
  if (event.key === 'Escape') {
    // What lies over the page is what is left: a dialog, the route on a phone, an open list.
    if (!document.querySelector('[role=dialog], .n-base-select-menu')) void router.push('/')
    return
  }
  if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && dialog && !event.repeat) {
    // What is filled in is sent; a bare question wants its own answer.
    if (dialog.querySelector('input, textarea')) dialog.querySelector<HTMLElement>(SENDS)?.click()
    return
  }
  if (typing || event.ctrlKey || event.metaKey || event.altKey) return
  if (event.key === '?') keysShown.value = true
  else if (event.key === '/') {
    event.preventDefault()
    findShown.value = true
  } else if (!document.querySelector('[data-letters]')) {
    const place = places[event.key.toLowerCase()]
    if (place) void router.push(place)
  }
})
</script>

<template>
  <NConfigProvider
    :theme="tokens === dark ? darkTheme : null"
    :theme-overrides="overrides(tokens)"
    class="provider"
  >
    <NMessageProvider placement="top-right" :duration="6000" :max="2" container-class="no-print">
      <div class="shell">
        <header class="no-print">
          <RouterLink to="/" class="brand">
            <svg viewBox="0 0 24 24" width="26" height="26" aria-hidden="true">
              <path class="metal" d="M4 2h16v9l-5 4v3l-3 4-3-4v-3l-5-4z" />
              <path class="line now" d="M12 2v14" stroke-width="3" />
            </svg>
            <span class="name">Wattotherm</span>
          </RouterLink>
          <nav aria-label="Main">
            <RouterLink v-for="[at, name] in pages" :key="at" :to="at" :class="{ here: here(at) }">
              {{ name }}
            </RouterLink>
          </nav>
          <NButton quaternary class="hint" @click="findShown = true"><kbd>/</kbd> find</NButton>
          <NButton quaternary class="hint" @click="keysShown = true"><kbd>?</kbd> keys</NButton>
        </header>
        <main tabindex="-1"><RouterView /></main>
        <HeatStrip />
      </div>
      <NModal v-model:show="keysShown">
        <div class="sheet keys" role="dialog" aria-modal="true" aria-labelledby="keys-title">
          <h1 id="keys-title">Keys</h1>
          <dl>
            <template v-for="[key, does] in keys" :key="key">
              <dt>
                <kbd>{{ key }}</kbd>
              </dt>
              <dd>{{ does }}</dd>
            </template>
          </dl>
          <NButton @click="keysShown = false">Done</NButton>
        </div>
      </NModal>
      <FindDialog v-model:shown="findShown" />
    </NMessageProvider>
  </NConfigProvider>
</template>

<style scoped>
.provider,
.shell {
  height: 100%;
}
.shell {
  display: grid;
  grid-template-rows: 52px minmax(0, 1fr) auto;
  /* Nothing in a page widens the strip with the stops beyond the screen. */
  grid-template-columns: minmax(0, 1fr);
}
header {
  display: flex;
  align-items: stretch;
  gap: 8px;
  padding: 0 20px;
  border-bottom: 1px solid var(--ink);
  overflow-x: auto;
}
.brand {
  display: flex;
  align-items: center;
  gap: 10px;
  font-weight: 700;
  font-size: 20px;
  text-decoration: none;
  margin-right: 16px;
}
nav {
  display: flex;
  flex: 1;
}
nav a {
  display: flex;
  align-items: center;
  padding: 0 13px;
  text-decoration: none;
  color: var(--ink2);
  white-space: nowrap;
  border-bottom: 3px solid transparent;
}
nav a.here {
  color: var(--ink);
  font-weight: 700;
  border-bottom-color: var(--accent);
}
.hint {
  height: auto;
  min-width: 44px;
  padding: 0 10px;
  color: var(--ink2);
}
main {
  position: relative;
  overflow: auto;
  outline: none;
}
.keys {
  width: 460px;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 10px 18px;
  margin: 16px 0;
}
dd {
  margin: 0;
}
@media (max-width: 900px) {
  header {
    padding: 0 10px;
  }
  .brand {
    margin-right: 4px;
  }
  nav a {
    padding: 0 9px;
  }
}
@media (max-width: 720px) {
  header {
    padding: 0 8px;
    gap: 2px;
  }
  .brand {
    margin-right: 2px;
  }
  .name {
    display: none;
  }
  nav a {
    padding: 0 9px;
    font-size: 15px;
  }
}
@media print {
  .shell {
    display: block;
  }
}
</style>
