/**
 * The set seen from the side, along the heading of a camera: as a plan whose run is the way along the heading, and
 * whose return is the height, turned over so that up is up.
 */
import type { FrameCamera, Photo, Shape, Vec2, Vec3 } from '../../api/client'

/** The level direction that a camera looks along. */
export function headingOf(rotation: readonly (readonly number[])[]): Vec2 {
  const [x, , z] = rotation[2]
  const n = Math.hypot(x, z)
  return n > 1e-6 ? [x / n, z / n] : [0, -1]
}

export function elevation([hx, hz]: Vec2) {
  const across = (v: readonly number[]): Vec3 => [v[0] * hx + v[2] * hz, 0, -v[1]]
  // ahead as it is; and down in the place of right, so that what is seen is as high as the frame is
  const turned = (r: readonly (readonly number[])[]) => [across(r[1]), across(r[1]), across(r[2])]
  const camera = <T extends { position: number[]; rotation: unknown }>(c: T): T => ({
    ...c,
    position: across(c.position),
    rotation: turned(c.rotation as number[][]),
  })
  return {
    across,
    shape: (s: Shape): Shape => ({ ...s, vertices: s.vertices.map(across) }) as Shape,
    key: <T extends { position: number[] }>(k: T): T => ({ ...k, position: across(k.position) }),
    camera: (c: FrameCamera) => camera(c),
    photo: (p: Photo): Photo =>
      p.camera?.position
        ? ({
            ...p,
            camera: { ...camera(p.camera as never as FrameCamera), width: p.camera.height },
            result: null,
          } as never as Photo)
        : p,
    /** Where a place dragged on it lies, the way aside kept. */
    back: ([u, down]: Vec2, from: readonly number[]): Vec3 => {
      const by = u - (from[0] * hx + from[2] * hz)
      return [from[0] + by * hx, -down, from[2] + by * hz]
    },
  }
}
