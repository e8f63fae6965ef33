<script setup lang="ts">
// What the top line has no room for on a small screen.
import { Menu, MenuButton, MenuItem, MenuItems } from '@headlessui/vue'

defineProps<{ items: { title: string; act: () => void; disabled?: boolean }[] }>()
</script>

<template>
  <Menu as="div" class="relative lg:hidden">
    <MenuButton class="act" data-test="menu">Menu</MenuButton>
    <MenuItems class="border-ink bg-card absolute right-0 z-40 mt-px min-w-36 border outline-none">
      <MenuItem v-for="i in items" :key="i.title" v-slot="{ active }" :disabled="i.disabled">
        <button
          class="disabled:text-slate block w-full px-3 py-1.5 text-left"
          :class="active ? 'bg-selected' : ''"
          :disabled="i.disabled"
          :data-test="`menu-${i.title}`"
          @click="i.act"
        >
          {{ i.title }}
        </button>
      </MenuItem>
    </MenuItems>
  </Menu>
</template>
