<script setup lang="ts">
import { NButton } from 'naive-ui'
import { useClipboard } from '@vueuse/core'
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import { moment, signalWord } from '../api/words'
import WriteCommands from './WriteCommands.vue'
import type { Station } from './useStation'

const props = defineProps<{
  station: Station
  /** Whether the rows are said in the form's table. */
  told?: boolean
  why: string
  setUp: Schemas['SetUp'] | null
  finding: Schemas['Finding'] | null
  closings: Schemas['Closing'][]
}>()
const { copy, copied } = useClipboard({ legacy: true })
const commands = computed(() =>
  props.finding?.facts.commands.length ? props.finding.facts.commands : (props.setUp?.commands ?? []),
)
/* What a station found; where its form writes by itself, there. */
const written = computed(() => {
  const own = props.station.form.value?.groups.some((g) => g.acts.some((a) => a.action === 'write_commands'))
  const found = props.finding?.facts
  return own || !found || found.station === 'heater_loop' ? [] : found.commands.map((c) => c.line)
})
const what = computed(() => (props.finding?.facts.commands.length ? 'To send' : 'To send for the test'))
/** A list of steps has no number that came about. */
const reasonsAre = computed(() => {
  if (props.finding?.facts.station === 'check') return 'Noted'
  return props.finding?.facts.verdict === 'stop' ? 'What this rests on' : 'How the number came about'
})
const doubt = computed(() => props.finding?.words.bands[0])
</script>

<template>
  <aside class="gutter" tabindex="0" aria-label="Why, cautions and commands">
    <section>
      <h2>Why this station</h2>
      <p>{{ why }}</p>
    </section>
    <section v-if="setUp?.caution" class="caution" :class="setUp.caution.signal" role="note">
      <strong>{{ signalWord[setUp.caution.signal] }}.</strong> {{ setUp.caution.text }}
    </section>
    <section v-if="setUp?.rule_text">
      <h2>House rule</h2>
      <p>
        {{ setUp.rule_text }}
        <RouterLink v-if="setUp.rule" :to="`/rules#${setUp.rule}`">change</RouterLink>
      </p>
    </section>
    <section v-if="finding?.words.rows.length && !told">
      <h2>Before and after</h2>
      <dl>
        <div v-for="r in finding.words.rows" :key="r.name">
          <dt>{{ r.name }}</dt>
          <dd class="mono">
            <template v-if="r.before">{{ r.before }}</template>
            <template v-if="r.before && r.after"> → </template>
            <strong v-if="r.after">{{ r.after }}</strong>
          </dd>
        </div>
      </dl>
    </section>
    <section v-if="commands.length">
      <h2>{{ what }}</h2>
      <!-- The block scrolls sideways, so the keyboard must reach it. -->
      <pre
        tabindex="0"
        aria-label="Commands"
      ><template v-for="c in commands" :key="c.line">{{ c.line }}  <i>{{ c.says }}</i>
</template></pre>
      <div class="ways">
        <NButton @click="copy(commands.map((c) => c.line).join('\n'))">
          {{ copied ? 'Copied' : 'Copy commands' }}
        </NButton>
        <WriteCommands v-if="written.length" :station="station" :lines="written" />
      </div>
    </section>
    <p v-else-if="setUp?.withheld" class="quiet">{{ setUp.withheld }}</p>
    <section v-if="finding?.words.plain.length">
      <h2>As plain values</h2>
      <dl>
        <div v-for="p in finding.words.plain" :key="p.name">
          <dt>{{ p.name }}</dt>
          <dd class="mono">{{ p.value }}</dd>
        </div>
      </dl>
    </section>
    <section v-if="doubt?.budget?.length">
      <h2>What the doubt is made of</h2>
      <dl>
        <div v-for="p in doubt.budget" :key="p.name">
          <dt>{{ p.name }}</dt>
          <dd class="mono whole">{{ p.value }}</dd>
        </div>
      </dl>
      <p class="quiet">{{ doubt.helps }}</p>
    </section>
    <section v-if="finding?.words.reasons.length">
      <h2>{{ reasonsAre }}</h2>
      <ul>
        <li v-for="r in finding.words.reasons" :key="r">{{ r }}</li>
      </ul>
    </section>
    <section v-if="closings.length">
      <h2>Before this</h2>
      <ul>
        <li v-for="c in closings" :key="c.seq" :class="{ old: c.superseded }">
          {{ moment(c.at) }}: {{ c.finding.words.headline }}
          <!-- What a stop asks for is still to be done. -->
          <template v-if="c.finding.facts.verdict === 'stop' && !c.superseded">{{
            c.finding.words.sentence
          }}</template>
        </li>
      </ul>
    </section>
  </aside>
</template>

<style scoped>
.gutter {
  border-left: 1px solid var(--rule);
  padding: 20px 18px;
  overflow: auto;
  font-size: 15px;
  display: flex;
  flex-direction: column;
  gap: 16px;
}
.caution {
  border-left: 5px solid var(--caution);
  background: var(--cautionWash);
  padding: 10px 12px;
}
.caution strong {
  color: var(--caution);
}
.caution.warning,
.caution.danger {
  border-left-color: var(--stop);
  background: var(--stopWash);
}
.caution.warning strong,
.caution.danger strong {
  color: var(--stop);
}
dl {
  margin: 0;
}
dl div {
  display: flex;
  justify-content: space-between;
  gap: 10px;
  padding: 2px 0;
}
dt {
  color: var(--ink2);
}
dd {
  margin: 0;
  text-align: right;
  font-size: 14px;
}
pre {
  background: var(--ink);
  color: var(--sheet);
  font: 14px/1.7 var(--mono);
  padding: 9px 12px;
  margin: 0 0 8px;
  overflow: auto;
  border-radius: 2px;
}
pre i {
  font-style: normal;
  opacity: 0.75;
}
ul {
  margin: 0;
  padding-left: 18px;
}
.old {
  color: var(--ink2);
}
.whole {
  white-space: nowrap;
}
</style>
