import { ref } from 'vue'
import type { Vec2 } from '../../api/client'

/** The outline being drawn, in straightened photo pixels; null when none is. */
export const drawing = ref<Vec2[] | null>(null)
export const feather = ref(3)
export const grow = ref(12)
