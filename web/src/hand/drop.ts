/** Files dropped anywhere on the page: what is taken is taken, anything else is refused in words. */
import { useEventListener } from '@vueuse/core'

export const isVideo = (name: string) => /\.(mp4|webm|mov|mkv|m4v|avi)$/i.test(name)

/** What a file is by its name: what the server makes of its content, it says itself. */
export function kindOf(name: string): 'picture' | 'layers' | 'mesh' | 'package' | null {
  const suffix = name.toLowerCase().split('.').pop() ?? ''
  if (['jpg', 'jpeg', 'png', 'tif', 'tiff', 'exr', 'webp', 'avif', 'heic', 'heif', 'svg'].includes(suffix))
    return 'picture'
  if (isVideo(name)) return 'picture'
  if (['obj', 'glb', 'gltf'].includes(suffix)) return 'mesh'
  if (suffix === 'ora') return 'layers'
  return suffix === 'zip' ? 'package' : null
}

/** Take what is dropped. The browser itself would leave the page for the file. */
export function useDrop(take: (files: File[]) => void) {
  useEventListener(window, 'dragover', (event: DragEvent) => event.preventDefault())
  useEventListener(window, 'drop', (event: DragEvent) => {
    const taken = event.defaultPrevented
    event.preventDefault()
    const files = [...(event.dataTransfer?.files ?? [])]
    if (!taken && files.length) take(files)
  })
}
