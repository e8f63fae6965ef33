<script setup lang="ts">
// Why a row of a file cannot be taken: its column, what stands there, the reason, and what would be right.
import type { RowProblem } from '../desk/files'

defineProps<{ problem: RowProblem }>()
</script>

<template>
  <span>
    <template v-if="problem.column">{{ problem.column }}: </template>
    <span v-if="problem.value" class="text-ink font-medium">{{ problem.value }}</span>
    {{ problem.reason }}<span v-if="problem.hint" class="text-verdigris">: {{ problem.hint }}</span>
  </span>
</template>
