<script setup lang="ts">
// Tokens: made with just what an app needs, shown once, changed with overlap, revoked at once, their use plotted.
import { computed, reactive, ref } from 'vue'
import { copy } from '../desk/acts'
import { complain, say } from '../desk/notice'
import { collections } from '../desk/places'
import {
  SCOPES,
  hasEnded,
  makeToken,
  revokeToken,
  rotateToken,
  secrets,
  tokens,
  useOf,
  type Scope,
  type Token,
} from '../desk/publish'
import UsePlot from './UsePlot.vue'

const making = ref(false)
const open = ref<string | null>(null)
const sure = ref<string | null>(null)
const overlap = ref('24h')
const draft = reactive({
  name: '',
  scopes: ['read'] as Scope[],
  all: true,
  collections: [] as string[],
  origins: '',
  lasts: '365',
  perMinute: 600,
  perDay: 0,
})
const LASTS = { '1': 'a day', '30': '30 days', '365': 'a year', '': 'until it is revoked' }
const shown = computed(() => [...tokens.value].sort((a, b) => Number(hasEnded(a)) - Number(hasEnded(b))))
const lines = (text: string) => text.split(/[\s,]+/).filter(Boolean)

async function make(): Promise<void> {
  const t = await makeToken({
    name: draft.name,
    scopes: draft.scopes,
    collections: draft.all ? null : draft.collections,
    origins: lines(draft.origins),
    expires_at: draft.lasts ? new Date(Date.now() + Number(draft.lasts) * 864e5).toISOString() : null,
    per_minute: draft.perMinute || 0,
    per_day: draft.perDay || 0,
  })
  making.value = false
  open.value = t.id
  Object.assign(draft, { name: '', origins: '' })
}
async function toggle(t: Token): Promise<void> {
  open.value = open.value === t.id ? null : t.id
  sure.value = null
  if (open.value) use.value = await useOf(t.id)
}
const use = ref<Awaited<ReturnType<typeof useOf>>>([])
async function revoke(t: Token): Promise<void> {
  if (sure.value !== t.id) {
    sure.value = t.id
    return
  }
  await revokeToken(t)
  sure.value = null
  say(`“${t.name}” is revoked: nothing is answered with it any more`)
}
const day = (t: string) => new Date(t).toLocaleDateString('en-GB', { dateStyle: 'medium' })
</script>

<template>
  <div class="flex flex-1 flex-col" data-test="tokens-part">
    <p v-if="!making" class="flex items-baseline gap-2 px-4 py-1.5">
      <span class="caption flex-1">An app asks with a token. It may do what its scopes say, and nothing else.</span>
      <button class="act" data-test="new-token" @click="making = true">New token</button>
    </p>
    <form
      v-else
      class="border-rule grid gap-y-2 border-b px-4 py-2"
      data-test="token-form"
      @submit.prevent="make().catch(complain)"
    >
      <label class="caption"
        >Name
        <input v-model="draft.name" class="field text-ink" required maxlength="100" data-test="token-name" />
      </label>
      <fieldset class="grid grid-cols-[repeat(auto-fit,minmax(11rem,1fr))] gap-x-3">
        <legend class="caption">May</legend>
        <label v-for="(words, scope) in SCOPES" :key="scope" class="whitespace-nowrap">
          <input
            v-model="draft.scopes"
            type="checkbox"
            class="accent-ochre"
            :value="scope"
            :data-test="`scope-${scope}`"
          />
          {{ words }}
        </label>
      </fieldset>
      <fieldset>
        <legend class="caption">In</legend>
        <label><input v-model="draft.all" type="checkbox" class="accent-ochre" /> all collections</label>
        <span v-if="!draft.all" class="grid grid-cols-[repeat(auto-fit,minmax(11rem,1fr))] gap-x-3">
          <label v-for="c in collections" :key="c.id" class="truncate">
            <input
              v-model="draft.collections"
              type="checkbox"
              class="accent-ochre"
              :value="c.id"
              :data-test="`token-in-${c.id}`"
            />
            {{ c.title }}
          </label>
        </span>
      </fieldset>
      <label class="caption"
        >Pages that may use it, one a line; none for apps and servers
        <textarea
          v-model="draft.origins"
          class="field text-ink"
          rows="2"
          placeholder="https://app.example"
          data-test="token-origins"
        />
      </label>
      <p class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <label class="caption"
          >Good for
          <select v-model="draft.lasts" class="pick text-ink max-w-44!">
            <option v-for="(title, days) in LASTS" :key="days" :value="days">{{ title }}</option>
          </select>
        </label>
        <label class="caption"
          >calls a minute <input v-model.number="draft.perMinute" type="number" min="0" class="field text-ink w-20!" />
        </label>
        <label class="caption"
          >a day <input v-model.number="draft.perDay" type="number" min="0" class="field text-ink w-24!" />
        </label>
        <span class="caption">0 for any number</span>
      </p>
      <p class="flex gap-2">
        <button class="act-main" data-test="make-token">Save</button>
        <button type="button" class="act" @click="making = false">Cancel</button>
      </p>
    </form>
    <ol class="ruled border-rule border-t" data-test="tokens">
      <li v-for="t in shown" :key="t.id" :class="hasEnded(t) ? 'text-slate' : ''">
        <button
          class="hover:bg-selected flex w-full items-baseline gap-2 px-4 py-1 text-left"
          :aria-expanded="open === t.id"
          :data-test="`token-${t.name}`"
          @click="toggle(t).catch(complain)"
        >
          <span class="min-w-0 flex-1 truncate font-medium">{{ t.name }}</span>
          <span class="caption max-w-[50%] truncate">{{
            t.revoked_at ? 'revoked' : hasEnded(t) ? 'ended' : t.scopes.join(', ')
          }}</span>
          <span v-if="t.hint" class="caption tabular-nums">…{{ t.hint }}</span>
        </button>
        <div v-if="open === t.id" class="px-4 pb-2">
          <p
            v-if="secrets.get(t.id)"
            class="border-verdigris bg-card my-1 border-l-4 px-3 py-1.5"
            data-test="token-secret"
          >
            <span class="block break-all select-all">{{ secrets.get(t.id) }}</span>
            <span class="caption flex items-baseline gap-2">
              <span class="flex-1">Shown on this visit only. Keep it where your app finds it.</span>
              <button class="act" @click="copy(secrets.get(t.id)!, 'the token')">Copy</button>
            </span>
          </p>
          <dl class="caption grid grid-cols-[auto_1fr] gap-x-3">
            <dt>in</dt>
            <dd>{{ t.collections?.join(', ') ?? 'all collections' }}</dd>
            <template v-if="t.origins.length">
              <dt>from</dt>
              <dd>{{ t.origins.join(', ') }}</dd>
            </template>
            <dt>made</dt>
            <dd>
              {{ day(t.created_at) }}<template v-if="t.made_by"> by {{ t.made_by }}</template>
            </dd>
            <dt>ends</dt>
            <dd>{{ t.expires_at ? day(t.expires_at) : 'when it is revoked' }}</dd>
            <template v-if="t.old_secret_until">
              <dt>old one</dt>
              <dd>good until {{ new Date(t.old_secret_until).toLocaleString('en-GB') }}</dd>
            </template>
            <dt>at most</dt>
            <dd>
              {{ t.per_minute ? `${t.per_minute.toLocaleString('en')} calls a minute` : 'any number a minute' }},
              {{ t.per_day ? `${t.per_day.toLocaleString('en')} a day` : 'any number a day' }}
            </dd>
          </dl>
          <UsePlot :use="use" class="my-2" />
          <p v-if="!hasEnded(t)" class="flex flex-wrap items-baseline gap-2">
            <button class="act" data-test="rotate" @click="rotateToken(t, overlap).catch(complain)">New secret</button>
            <label class="caption"
              >the old one is good for
              <select v-model="overlap" class="pick text-ink">
                <option value="">no longer</option>
                <option value="1h">an hour</option>
                <option value="24h">a day</option>
                <option value="168h">a week</option>
              </select>
            </label>
            <button
              class="act ml-auto"
              :class="sure === t.id ? 'border-madder! text-madder!' : ''"
              data-test="revoke"
              @click="revoke(t).catch(complain)"
              @blur="sure = null"
            >
              {{ sure === t.id ? 'Revoke for good' : 'Revoke' }}
            </button>
          </p>
        </div>
      </li>
    </ol>
  </div>
</template>
