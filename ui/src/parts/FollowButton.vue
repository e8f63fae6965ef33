<script setup lang="ts">
// How the map follows the device, and the next manner of it.
import { device } from '../desk/device'
import { followAgain } from '../desk/follow'

const FOLLOWS = { free: 'Follow', centred: 'Following', heading: 'Heading up' }
</script>

<template>
  <button
    v-if="device.fix"
    class="act"
    :class="device.follow === 'free' ? '' : 'border-madder!'"
    title="Follow, with the heading up, or not (o)"
    data-test="follow"
    @click="followAgain"
  >
    {{ FOLLOWS[device.follow] }} <span class="key">o</span>
  </button>
</template>
