<script setup lang="ts">
import { useNotices } from '../cell/noticesStore'

const notices = useNotices()
</script>

<template>
  <v-snackbar
    :model-value="!!notices.said"
    :timeout="7000"
    location="top"
    @update:model-value="notices.clear()"
    >{{ notices.said }}</v-snackbar
  >
</template>
