import { computed, type Ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/** The review of the clip that is shown, for whoever came from there: back to it, at the frame that is in view. */
export function useWayBack(clip: Ref<{ id: number } | undefined>, frame: Ref<number>) {
  const route = useRoute()
  const router = useRouter()
  const review = computed(() => {
    const { review: row } = route.query
    return row && clip.value?.id === Number(route.query.clip) ? `/review/${Number(row)}?frame=${frame.value}` : ''
  })
  const back = () => (review.value ? void router.push(review.value) : false)
  return { review, back }
}
