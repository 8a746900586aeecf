<script setup lang="ts">
// One's own account and the crew: password, sessions, units; people, invitations, what was done, how long revisions are kept.
import { vStack } from '../ui/stack'
import { useQuery, useQueryClient } from '@tanstack/vue-query'
import { ElPagination, ElPopconfirm } from 'element-plus'
import 'element-plus/theme-chalk/el-button.css'
import 'element-plus/theme-chalk/el-pagination.css'
import 'element-plus/theme-chalk/el-popconfirm.css'
import 'element-plus/theme-chalk/el-popover.css'
import 'element-plus/theme-chalk/el-popper.css'
import { computed, onMounted, reactive, ref } from 'vue'
import { api, ApiProblem, type Role } from '../api/client'
import { PAGE } from '../api/queries'
import NoticeBar from '../ui/NoticeBar.vue'
import NumberInput from '../ui/NumberInput.vue'
import PageHead from '../ui/PageHead.vue'
import PickField from '../ui/PickField.vue'
import PlainInput from '../ui/PlainInput.vue'
import PrefsDialog from '../ui/PrefsDialog.vue'
import { moment, when } from '../ui/figures'
import WaitNote from '../ui/WaitNote.vue'
import ShowTyped from './ShowTyped.vue'
import { accept, session } from './use-session'

const client = useQueryClient()
const lead = computed(() => session.value?.role === 'lead')
const ROLES: [Role, string][] = [
  ['reader', 'reader: sees, plans, changes nothing'],
  ['member', 'member: works on jobs'],
  ['lead', 'lead: also people, library, sign-off'],
]
onMounted(() => (document.title = 'Account · Ewerer'))

const said = ref('')
const failures = reactive<Record<string, string>>({})
const busy = ref(false)
/** Do one thing; tell what became of it beside where it was asked for. */
async function act(where: string, what: () => Promise<unknown>, done = '') {
  failures[where] = said.value = ''
  busy.value = true
  try {
    await what()
    said.value = done
  } catch (error) {
    if (!(error instanceof ApiProblem)) throw error
    failures[where] = error.inWords
  } finally {
    busy.value = false
    await client.invalidateQueries({ queryKey: ['account'] })
  }
}

const old = ref('')
const shown = ref(false)
const fresh = ref('')
const changePassword = () =>
  act(
    'password',
    async () => {
      accept(await api.changePassword(old.value, fresh.value))
      old.value = fresh.value = ''
    },
    'The password is changed; your other sessions have ended.',
  )
const signIns = useQuery({ queryKey: ['account', 'sign-ins'], queryFn: api.signIns })
const others = computed(() => signIns.data.value?.items.filter((s) => !s.this).length ?? 0)
const units = ref(false)
async function changeCrew(id: string | number) {
  await act('crew', async () => accept(await api.changeCrew(Number(id))))
  // Nothing that was read for the one crew is for the other.
  if ('caches' in window) await caches.delete('answers')
  client.clear()
}

const people = useQuery({ queryKey: ['account', 'people'], queryFn: api.people })
const invitations = useQuery({ queryKey: ['account', 'invitations'], queryFn: api.invitations, enabled: lead })
const open = computed(() => invitations.data.value?.items.filter((i) => !i.used_by && new Date(i.until) > new Date()) ?? [])
const role = ref<Role>('member')
const note = ref('')
const link = ref('')
const invite = () =>
  act('invite', async () => {
    const made = await api.invite(role.value, note.value.trim())
    link.value = `${window.location.origin}/join/${made.token}`
    note.value = ''
  })
const copied = ref(false)
async function copyLink() {
  await navigator.clipboard.writeText(link.value)
  copied.value = true
  window.setTimeout(() => (copied.value = false), 2500)
}
const page = ref(1)
const trail = useQuery({
  queryKey: computed(() => ['account', 'trail', page.value]),
  queryFn: () => api.trail(PAGE, (page.value - 1) * PAGE),
  enabled: lead,
})
const crew = useQuery({ queryKey: ['account', 'crew'], queryFn: api.crew })
// Nothing is shown before all that pushes it down has come, or failed: what one reaches for does not move away.
const waiting = computed(() => [signIns, people, crew].some((q) => q.isLoading.value))
const keep = ref<number | string | undefined>()
const setKeeping = () => act('keeping', () => api.setKeeping(Math.max(0, Math.round(Number(keep.value) || 0))), 'Saved.')
</script>

<template>
  <div class="account">
    <PageHead where="Account and crew" />
    <main>
      <h1>{{ session?.user }}, {{ session?.crew }}</h1>
      <p class="lede">You are a {{ session?.role }} in this crew.</p>
      <p class="visually-hidden" role="status">{{ said }}</p>
      <NoticeBar v-if="said">{{ said }} <button class="plain" @click="said = ''">OK</button></NoticeBar>

      <section v-if="(session?.crews.length ?? 0) > 1">
        <h2>Crew</h2>
        <PickField
          :model-value="session?.crews.find((c) => c.name === session?.crew)?.id"
          label="Crew at work"
          :choices="(session?.crews ?? []).map((c) => [c.id, `${c.name} (${c.role})`] as const)"
          @pick="changeCrew"
        />
        <p v-if="failures.crew" class="why" role="alert">{{ failures.crew }}</p>
      </section>

      <section>
        <h2>Password</h2>
        <form class="line" @submit.prevent="changePassword">
          <label
            >Current password
            <PlainInput v-model="old" :type="shown ? 'text' : 'password'" autocomplete="current-password" required
          /></label>
          <label
            >New password <PlainInput v-model="fresh" :type="shown ? 'text' : 'password'" autocomplete="new-password" required
          /></label>
          <button :disabled="busy || !old || !fresh">Change password</button>
        </form>
        <ShowTyped v-model="shown" />
        <p v-if="failures.password" class="why" role="alert">{{ failures.password }}</p>
        <p class="soft small">At least 12 characters; spaces are allowed. Not like your name, and no common password.</p>
      </section>

      <WaitNote v-if="waiting" word="Reading sessions and people" />
      <template v-else>
        <section>
          <h2>Signed in</h2>
          <table v-stack>
            <thead>
              <tr>
                <th>Since</th>
                <th>From</th>
                <th>With</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="s in signIns.data.value?.items" :key="s.began">
                <td>{{ moment(s.began) }} <b v-if="s.this">this one</b></td>
                <td>{{ s.address }}</td>
                <td class="agent" :title="s.agent">{{ s.agent }}</td>
              </tr>
            </tbody>
          </table>
          <p class="line">
            <button :disabled="!others || busy" @click="act('sign-ins', api.signOutElsewhere, 'Signed out everywhere else.')">
              Sign out everywhere else
            </button>
            <button class="plain" @click="units = true">Units and dates</button>
            <span v-if="session?.until" class="soft small">This session ends {{ moment(session.until) }}.</span>
          </p>
          <p v-if="failures['sign-ins']" class="why" role="alert">{{ failures['sign-ins'] }}</p>
        </section>

        <section data-people>
          <h2>People</h2>
          <p v-if="people.isError.value" class="why" role="alert">The people cannot be read now.</p>
          <table v-stack>
            <thead>
              <tr>
                <th>Name</th>
                <th>Role</th>
                <th>Signed in</th>
                <th><span class="visually-hidden">Actions</span></th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="p in people.data.value" :key="p.id">
                <td>
                  <b>{{ p.name }}</b>{{ p.you ? ', you' : '' }}
                </td>
                <td>
                  <PickField
                    v-if="lead"
                    class="role"
                    :model-value="p.role"
                    :label="`Role of ${p.name}`"
                    :choices="ROLES"
                    @pick="(v) => act('people', () => api.setRole(p.id, v as Role), `${p.name} is a ${v} now.`)"
                  />
                  <template v-else>{{ p.role }}</template>
                </td>
                <td>{{ p.signed_in_at ? when(p.signed_in_at) : 'never' }}</td>
                <td>
                  <ElPopconfirm
                    v-if="lead && !p.you"
                    :title="`Remove ${p.name} from the crew? What they did stays.`"
                    confirm-button-text="Remove"
                    cancel-button-text="Keep"
                    width="260"
                    @confirm="act('people', () => api.takeOutPerson(p.id), `${p.name} is out of the crew.`)"
                  >
                    <template #reference><button class="plain" :aria-label="`Remove ${p.name}`">Remove</button></template>
                  </ElPopconfirm>
                </td>
              </tr>
            </tbody>
          </table>
          <p v-if="failures.people" class="why" role="alert">{{ failures.people }}</p>
        </section>

        <template v-if="lead">
          <section>
            <h2>Invite somebody</h2>
            <form class="line" @submit.prevent="invite">
              <label>Name <PlainInput v-model="note" maxlength="120" placeholder="for your list only" /></label>
              <span class="label"
                ><span aria-hidden="true">Role</span
                ><PickField v-model="role" class="role" label="Role of the invitation" :choices="ROLES"
              /></span>
              <button :disabled="busy">Make a link</button>
            </form>
            <NoticeBar v-if="link">
              <span>Works once, within seven days. It is not shown again.</span>
              <code data-link>{{ link }}</code>
              <button @click="copyLink">{{ copied ? 'Copied' : 'Copy' }}</button>
              <button class="plain" @click="link = ''">Done</button>
            </NoticeBar>
            <p v-if="failures.invite" class="why" role="alert">{{ failures.invite }}</p>
            <ul v-if="open.length">
              <li v-for="i in open" :key="i.id">
                {{ i.note || 'somebody' }}, as {{ i.role }}, until {{ moment(i.until) }}
                <button
                  class="plain"
                  :aria-label="`Take the invitation of ${i.note || 'somebody'} back`"
                  @click="act('invite', () => api.takeInvitationBack(i.id))"
                >
                  Take back
                </button>
              </li>
            </ul>
          </section>
          <section>
            <h2>Revisions</h2>
            <form class="line" @submit.prevent="setKeeping">
              <label
                >Revisions to keep of each job; 0 keeps all
                <NumberInput
                  whole
                  aria-label="Revisions kept"
                  :value="keep ?? crew.data.value?.keep_revisions"
                  @set="(v) => (keep = v)"
              /></label>
              <button :disabled="busy || keep === undefined">Save</button>
            </form>
            <p class="soft small">Older ones are deleted within a day. What is in a sealed handover stays.</p>
            <p v-if="failures.keeping" class="why" role="alert">{{ failures.keeping }}</p>
          </section>
          <section data-trail>
            <h2>Trail: who did what</h2>
            <table v-stack>
              <thead>
                <tr>
                  <th>When</th>
                  <th>Who</th>
                  <th>What</th>
                  <th>From</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="d in trail.data.value?.items" :key="d.at + d.what + d.who">
                  <td>{{ moment(d.at) }}</td>
                  <td>{{ d.who }}</td>
                  <td>
                    {{ d.what }} <span class="soft">{{ d.about }}</span>
                  </td>
                  <td>{{ d.address }}</td>
                </tr>
              </tbody>
            </table>
            <ElPagination
              v-if="(trail.data.value?.total ?? 0) > PAGE"
              v-model:current-page="page"
              :page-size="PAGE"
              :total="trail.data.value?.total ?? 0"
              layout="prev, pager, next"
            />
          </section>
        </template>
      </template>
    </main>
    <PrefsDialog v-if="units" v-model="units" />
  </div>
</template>

<style scoped>
main {
  max-width: 900px;
  padding: 18px 22px 60px;
}
section {
  margin-top: 26px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 10px 14px;
  align-items: flex-end;
}
table + .line {
  margin-top: 10px;
  align-items: center;
}
.line + .notice {
  margin-top: 8px;
}
.line label,
.label {
  display: grid;
  gap: 2px;
  font-size: 13px;
  color: var(--soft);
}
.role {
  width: min(290px, 100%);
}
.agent {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: min(380px, 30vw);
}
section {
  overflow-x: auto;
}
ul {
  list-style: none;
  padding: 0;
}
</style>
