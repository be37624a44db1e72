<script setup lang="ts">
/** The plan of a move: the plan view, and under it from where the frame would hold. */
import { ElCheckbox } from 'element-plus'
import { ref } from 'vue'
import FocusLines from '../../board/FocusLines.vue'
import PlanBoard from '../../board/PlanBoard.vue'
import Handles from './Handles.vue'
import { useMove } from './move'
import StandingRoom from './StandingRoom.vue'

type Plan = InstanceType<typeof PlanBoard>['$props']
defineOptions({ inheritAttrs: false })
const shown = ref(false)
const whole = ref(false)
const says = ref('')
const { s, at } = useMove()
</script>

<template>
  <PlanBoard v-bind="$attrs as unknown as Plan">
    <template #under="{ flat, metres, width, height }">
      <StandingRoom
        v-if="shown"
        :flat="flat"
        :metres="metres"
        :width="width"
        :height="height"
        :whole="whole"
        @says="(text: string) => (says = text)"
      />
      <FocusLines v-if="at?.focus" :now="at" :delivered-width="s.shot.delivery.width" :flat="flat" />
    </template>
    <template #over="{ flat, metres }"><Handles :flat="flat" :metres="metres" /></template>
  </PlanBoard>
  <div class="room" @pointerdown.stop>
    <ElCheckbox v-model="shown" data-standing>Standing room</ElCheckbox>
    <ElCheckbox v-if="shown && s.keys.length > 1" v-model="whole" data-standing-whole>of the whole move</ElCheckbox>
    <span v-if="shown" class="figure" role="status">{{ says }}</span>
  </div>
</template>

<style scoped>
.room {
  position: absolute;
  left: 62px;
  top: 10px;
  background: var(--paper);
  border: 1px solid var(--ink);
  padding: 5px 9px;
  display: flex;
  gap: 10px;
  align-items: center;
}
</style>
