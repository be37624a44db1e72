<script setup lang="ts">
/** What the move shows that no verdict says, looked for on demand: each with its frame, its place and its piece. */
import { ElButton, ElRadio } from 'element-plus'
import { computed, onBeforeUnmount, watch } from 'vue'
import type { Schemas, Vec2 } from '../../api/client'
import { pieceName, plateName } from '../../state/names'
import { fastest, leastRoom, length, LINES, looked, useAlong } from './along'
import { useAsked } from './useAsked'

const { look, lines, mark, covers } = useAlong()
const { s, found, busy, look: ask } = useAsked<Schemas['AlongState']>('/along', (a) => a.look !== null)
const MOST = 6
watch(found, (f) => {
  look.value = f?.look ?? null
  mark.value = null
})
onBeforeUnmount(() => {
  look.value = mark.value = null
  lines.value = 'speed'
})
const runs = computed(() =>
  (['near', 'far'] as const).flatMap((which) => {
    const most = look.value && fastest(look.value, `${which}_px`)
    return most ? [{ which, ...most }] : []
  }),
)
const rushed = computed(() => runs.value.some((r) => r.px > look.value!.rushed_px))
const room = computed(() => (look.value ? leastRoom(look.value) : []))
const strays = computed(() => look.value?.strays.filter((x) => x.slip_px >= 1).slice(0, MOST) ?? [])
const edges = computed(() => look.value?.edges.slice(0, MOST) ?? [])
function show(frame: number, at: Vec2 | null = null, says = '') {
  s.frame = frame
  mark.value = at && { frame, at, says }
}
const px = (v: number) => (Math.abs(v) < 10 ? v.toFixed(1) : v.toFixed(0))
/** What of a slip can be told: beyond the frame's width the lens passes through the thing. */
const slipOf = (slip: number) =>
  slip > s.shot.delivery.width ? 'the lens passes close by' : `10 cm slip ${px(slip)} px`
</script>

<template>
  <section class="section" data-along>
    <h2>Along the move</h2>
    <p v-if="!look" class="quiet">
      {{
        found
          ? 'The move has changed since it was looked along.'
          : 'How fast it runs, how near the pictures end, what will look flat, where borders show.'
      }}
    </p>
    <template v-else>
      <h3>It runs</h3>
      <table class="facts">
        <tbody>
          <tr v-for="r in runs" :key="r.which" :data-runs="r.which">
            <td>{{ r.which === 'near' ? 'nearest' : 'farthest' }}, at most</td>
            <td class="number">{{ px(r.px) }} px/f</td>
            <td>
              <ElButton class="plain" @click="show(r.frame)">Frame {{ r.frame }}</ElButton>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="rushed" class="sentence warn" data-rushed>
        More than {{ px(look.rushed_px) }} px a frame, a thirtieth of its width: that looks rushed, or strobes.
      </p>
      <h3>Picture beyond the frame, at least</h3>
      <table class="facts">
        <tbody>
          <tr v-for="r in room" :key="r.side" :class="{ short: r.px !== null && r.px < 0 }" :data-room-beyond="r.side">
            <td>{{ r.side }}</td>
            <td class="number">{{ r.px === null ? `over ${px(looked(look, r.side))}` : px(r.px) }} px</td>
            <td>
              <ElButton v-if="r.px !== null" class="plain" @click="show(r.frame)">Frame {{ r.frame }}</ElButton>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="room.some((r) => r.px !== null && r.px < 0)" class="quiet">
        Below zero, what is missing is in the frame.
      </p>
      <h3>Will look flat</h3>
      <p v-if="!strays.length" class="quiet">Nothing: 10 cm of relief slip less than 1 px everywhere.</p>
      <table v-else class="facts">
        <tbody>
          <tr v-for="x in strays" :key="x.solid" :data-stray="x.solid">
            <td>
              {{ pieceName(s.shot, x.solid) }}
              <span v-if="x.slip_px > s.shot.delivery.width" class="quiet"
                >the lens passes through it, or close by</span
              >
              <span v-else class="quiet">10 cm slip {{ px(x.slip_px) }} px, {{ length(x.relief_m!) }} slip 1 px</span>
            </td>
            <td>
              <ElButton class="plain" @click="show(x.frame, x.at as Vec2, slipOf(x.slip_px))"
                >Frame {{ x.frame }}</ElButton
              >
            </td>
          </tr>
        </tbody>
      </table>
      <h3>Borders of cut-outs that show</h3>
      <p v-if="!edges.length" class="quiet">None: they are softer than they slip, or their fringe is cleared.</p>
      <table v-else class="facts">
        <tbody>
          <tr v-for="e in edges" :key="e.plate" :data-edge="e.plate">
            <td>
              {{ plateName(s.shot, e.plate) }}
              <span class="quiet"
                >slips {{ px(e.slip_px) }} px, soft by {{ px(e.feather_px) }} px, on {{ e.frames }} of
                {{ look.frames.length }} frames; clear its fringe in Plates</span
              >
            </td>
            <td>
              <ElButton class="plain" @click="show(e.frame, e.at as Vec2, `slips ${px(e.slip_px)} px`)"
                >Frame {{ e.frame }}</ElButton
              >
            </td>
          </tr>
        </tbody>
      </table>
      <template v-if="covers.length">
        <h3>Frames that a cut-out hides wholly</h3>
        <p v-for="c in covers" :key="c.from" class="quiet" :data-hidden="c.solid">
          {{ pieceName(s.shot, c.solid) }}: {{ c.from === c.to ? `frame ${c.from}` : `frames ${c.from} to ${c.to}` }};
          another shot can be joined on there.
          <ElButton class="plain" @click="show(c.from)">Frame {{ c.from }}</ElButton>
        </p>
      </template>
      <fieldset class="lines" data-lines>
        <legend>Over the strip</legend>
        <ElRadio v-for="(n, l) in LINES" :key="l" v-model="lines" name="lines" :value="l">{{ n }}</ElRadio>
      </fieldset>
    </template>
    <div class="row" style="margin-top: 6px">
      <ElButton :disabled="busy" data-look-along @click="ask">{{
        busy ? 'Looking at every frame …' : 'Look along the move'
      }}</ElButton>
    </div>
  </section>
</template>

<style scoped>
h3 {
  font: 600 13px var(--label);
  margin: 10px 0 2px;
}
.facts {
  width: 100%;
}
.facts td:last-child {
  text-align: right;
  white-space: nowrap;
  width: 1%;
}
.facts td .quiet {
  display: block;
}
.short .number {
  color: var(--action);
}
.lines {
  border: 0;
  padding: 0;
  margin: 10px 0 0;
  display: flex;
  flex-wrap: wrap;
  gap: 0 12px;
}
.lines legend {
  font: 600 13px var(--label);
  padding: 0;
}
</style>
