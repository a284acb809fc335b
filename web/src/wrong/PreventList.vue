<script setup lang="ts">
import type { Schemas } from '../api/client'

/* What keeps a proven cause from coming back, and which printers of the shop it hits next. */
defineProps<{ proven: Schemas['ProvenShown'] }>()
</script>

<template>
  <div v-if="proven.prevents.length || proven.sisters.length">
    <h2>So that it doesn’t come back</h2>
    <ul>
      <li v-for="p in proven.prevents" :key="p">{{ p }}</li>
      <li v-if="proven.sisters.length">
        Alike in this shop: <strong>{{ proven.sisters.join(', ') }}</strong>. Look at them too.
      </li>
    </ul>
  </div>
</template>

<style scoped>
ul {
  margin: 0;
  padding-left: 20px;
}
</style>
