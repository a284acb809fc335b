<script setup lang="ts">
import { computed } from 'vue'

import type { Schemas } from '../api/client'
import ReadingField from '../ui/ReadingField.vue'

/* Fields as rows of a table: each column named once above it, each field by its column and row for those who can't see it. */
const props = defineProps<{
  fields: Schemas['Field'][]
  columns: number
  /** What the finding says of each row. */
  says: readonly string[]
  bind: (path: string) => { path: string } & Record<string, unknown>
  text: (path: string) => string
}>()
const emit = defineEmits<{ put: [path: string, value: unknown] }>()
const rows = computed(() =>
  Array.from({ length: Math.ceil(props.fields.length / props.columns) }, (_, i) =>
    props.fields.slice(i * props.columns, (i + 1) * props.columns),
  ),
)
const heads = computed(() => rows.value[0] ?? [])
</script>

<template>
  <div class="box" :class="columns > 5 ? 'many' : 'few'">
    <div class="table" :style="{ '--columns': columns }">
      <div class="head" aria-hidden="true">
        <span class="n"></span>
        <span v-for="h in heads" :key="h.path">{{ h.label }}<br />{{ h.symbol }}</span>
      </div>
      <div v-for="(row, i) in rows" :key="i" class="row">
        <span class="n" aria-hidden="true">{{ i + 1 }}</span>
        <ReadingField
          v-for="field in row"
          v-bind="bind(field.path)"
          :key="field.path"
          :model-value="text(field.path)"
          :label="`${field.label} ${i + 1}`"
          cell
          small
          @update:model-value="(value) => emit('put', field.path, value)"
        />
        <p v-if="says[i]" class="says">{{ says[i] }}</p>
      </div>
    </div>
  </div>
</template>

<style scoped>
.box {
  container-type: inline-size;
  min-width: 0;
}
.table {
  display: grid;
  gap: 6px;
}
.head,
.row {
  display: grid;
  grid-template-columns: 24px repeat(var(--columns), minmax(0, 1fr));
  gap: 6px;
  align-items: start;
}
.head {
  color: var(--ink2);
  font-size: 14px;
}
.n {
  color: var(--ink2);
  line-height: 44px;
  text-align: right;
}
.says {
  grid-column: 2 / -1;
  margin: 0;
  font-size: 14px;
  color: var(--ink2);
}
.head .n {
  line-height: inherit;
}
/* What is wrong with a cell stands under its row, as wide as the row: a column is too narrow for a sentence. */
.row {
  grid-auto-flow: row dense;
}
.row :deep(.reading) {
  display: contents;
}
.row :deep(.error) {
  grid-column: 2 / -1;
  margin: 0;
}
/* Where the columns find no room, each field has its name again. */
@container (max-width: 620px) {
  .many .head,
  .many .n {
    display: none;
  }
  .many .row {
    grid-template-columns: repeat(auto-fill, minmax(96px, 1fr));
    padding-bottom: 12px;
    border-bottom: 1px solid var(--rule);
  }
  .many .says {
    grid-column: 1 / -1;
  }
  .many :deep(.reading) {
    display: block;
  }
  .many :deep(label.visually-hidden) {
    position: static;
    width: auto;
    height: auto;
    margin: 0;
    clip-path: none;
    white-space: normal;
  }
}
@container (max-width: 380px) {
  .few .head,
  .few .n {
    display: none;
  }
  .few .row {
    grid-template-columns: repeat(auto-fill, minmax(96px, 1fr));
  }
  .few .says {
    grid-column: 1 / -1;
  }
  .few :deep(.reading) {
    display: block;
  }
  .few :deep(label.visually-hidden) {
    position: static;
    width: auto;
    height: auto;
    margin: 0;
    clip-path: none;
    white-space: normal;
  }
}
</style>
