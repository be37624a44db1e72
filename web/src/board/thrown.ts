/**
 * Plates thrown on the solids, drawn by the GPU for playing and moving about. It decides nothing: verdicts and
 * delivered pixels come from the server. Where a plate's camera could see is told by a picture of face numbers drawn
 * from that camera.
 */
import * as three from 'three'
import type { ShotState, Vec3 } from '../api/client'
import { viewOf, type View } from './camera'

const RASTER = 2048
export const MAX_THROWS = 7 // two textures each, of the sixteen that a shader may read

interface Group {
  solid: number
  throws: number[]
  occlusion: boolean[]
  cutout: boolean
  positions: number[]
  normals: number[]
  faces: number[]
  slant: number[]
}
/** `shaded`: shape only, with what plates hardly reach hatched; pieces hidden on the board are left out where asked. */
export interface Looks {
  shaded?: boolean
  hide?: boolean
}

const vertex = /* glsl */ `
in float face;
flat out float vFace;
out vec3 vWorld;
out vec3 vNormal;
void main() {
  vFace = face;
  vWorld = position;
  vNormal = normal;
  gl_Position = projectionMatrix * viewMatrix * vec4(position, 1.0);
}`

const shadedVertex = /* glsl */ `
in float slant;
out float vSlant;
out vec3 vNormal;
void main() {
  vSlant = slant;
  vNormal = normal;
  gl_Position = projectionMatrix * viewMatrix * vec4(position, 1.0);
}`
const shadedFragment = /* glsl */ `
precision highp float;
in float vSlant;
in vec3 vNormal;
out vec4 colour;
void main() {
  vec3 n = normalize(vNormal);
  float light = 0.5 + 0.32 * n.y + 0.18 * abs(n.z) - 0.1 * n.x;
  vec3 tone = vec3(0.93, 0.92, 0.88) * light;
  if (vSlant > 0.5 && mod(gl_FragCoord.x + gl_FragCoord.y, 9.0) < 2.0) tone = vec3(0.72, 0.48, 0.07);
  colour = vec4(tone, 1.0);
}`

function idFragment(cut: boolean): string {
  return /* glsl */ `
precision highp float;
flat in float vFace;
in vec3 vWorld;
out vec4 colour;
${cut ? 'uniform mat4 plate; uniform sampler2D picture;' : ''}
void main() {
  ${cut ? 'vec4 h = plate * vec4(vWorld, 1.0); vec2 uv = h.xy / h.z; if (h.z <= 0.0 || uv.x < 0.0 || uv.y < 0.0 || uv.x > 1.0 || uv.y > 1.0 || texture(picture, uv).a < 0.5) discard;' : ''}
  float n = vFace + 1.0;
  colour = vec4(mod(n, 256.0), mod(floor(n / 256.0), 256.0), floor(n / 65536.0), 255.0) / 255.0;
}`
}

function lookFragment(throws: number, occlusion: boolean[], cut: boolean): string {
  let body = ''
  for (let i = 0; i < throws; i++) {
    body += /* glsl */ `
  { vec4 h = plate${i} * vec4(vWorld, 1.0);
    vec2 uv = h.xy / h.z;
    vec2 gx = dFdx(uv), gy = dFdy(uv);
    bool inside = h.z > 0.0 && uv.x >= 0.0 && uv.y >= 0.0 && uv.x <= 1.0 && uv.y <= 1.0;
    if (inside && acc.a < 0.999 && !done) {
      bool seen = ${occlusion[i] ? `dot(vNormal, eye${i} - vWorld) > 0.0 && sees(ids${i}, uv)` : 'true'};
      if (seen) { vec4 c = textureGrad(picture${i}, uv, gx, gy); acc += (1.0 - acc.a) * vec4(c.rgb * c.a, c.a); ${cut ? 'done = true;' : ''} }
    } }`
  }
  const uniforms = Array.from(
    { length: throws },
    (_, i) => `uniform mat4 plate${i}; uniform vec3 eye${i}; uniform sampler2D picture${i}; uniform sampler2D ids${i};`,
  ).join('\n')
  return /* glsl */ `
precision highp float;
precision highp sampler2D;
flat in float vFace;
in vec3 vWorld;
in vec3 vNormal;
out vec4 colour;
uniform vec3 bare;
${uniforms}
bool sees(sampler2D ids, vec2 uv) {
  ivec2 size = textureSize(ids, 0);
  ivec2 at = ivec2(vec2(uv.x, 1.0 - uv.y) * vec2(size));
  for (int j = -1; j <= 1; j++) for (int i = -1; i <= 1; i++) {
    vec4 c = texelFetch(ids, clamp(at + ivec2(i, j), ivec2(0), size - 1), 0) * 255.0;
    float n = floor(c.r + 0.5) + 256.0 * floor(c.g + 0.5) + 65536.0 * floor(c.b + 0.5) - 1.0;
    if (abs(n - vFace) < 0.5) return true;
  }
  return false;
}
vec3 display(vec3 v) { return mix(1.055 * pow(max(v, vec3(1e-6)), vec3(1.0 / 2.4)) - 0.055, 12.92 * v, lessThanEqual(v, vec3(0.0031308))); }
void main() {
  vec4 acc = vec4(0.0);
  bool done = false;
  float light = 0.7 + 0.3 * abs(dot(normalize(vNormal), vec3(0.42, 0.82, 0.39)));
  ${body}
  ${cut ? (throws ? 'if (acc.a < 0.004) discard; colour = vec4(display(clamp(acc.rgb / acc.a, 0.0, 1.0)), acc.a);' : 'colour = vec4(bare * light, 1.0);') : 'colour = vec4(acc.a < 0.5 ? bare * light : display(clamp(acc.rgb / acc.a, 0.0, 1.0)), 1.0);'}
}`
}

/** A three.js camera that sees as a pinhole view does. */
function lens(view: View): three.Camera {
  const camera = new three.Camera()
  const [w, h, f] = [view.width, view.height, view.focal]
  const [cx, cy] = view.centre
  const near = 0.08
  const far = 4000
  camera.projectionMatrix.set(
    (2 * f) / w,
    0,
    1 - (2 * cx) / w,
    0,
    0,
    (2 * f) / h,
    (2 * cy) / h - 1,
    0,
    0,
    0,
    -(far + near) / (far - near),
    (-2 * far * near) / (far - near),
    0,
    0,
    -1,
    0,
  )
  camera.projectionMatrixInverse.copy(camera.projectionMatrix).invert()
  const r = view.rotation
  const p = view.position
  camera.matrixWorld.set(
    r[0][0],
    -r[1][0],
    -r[2][0],
    p[0],
    r[0][1],
    -r[1][1],
    -r[2][1],
    p[1],
    r[0][2],
    -r[1][2],
    -r[2][2],
    p[2],
    0,
    0,
    0,
    1,
  )
  camera.matrixWorldInverse.copy(camera.matrixWorld).invert()
  camera.matrixAutoUpdate = camera.matrixWorldAutoUpdate = false
  return camera
}

/** World → the plate's canvas, homogeneous: x and y run 0…1 over it from the top left, z is the depth. */
function plateMatrix(view: View, canvas: number[]): three.Matrix4 {
  const [x0, y0, w, h] = canvas
  const r = view.rotation
  const rows = [0, 1, 2].map((i) => [
    r[i][0],
    r[i][1],
    r[i][2],
    -(r[i][0] * view.position[0] + r[i][1] * view.position[1] + r[i][2] * view.position[2]),
  ])
  const u = rows[0].map((_, j) => (view.focal * rows[0][j] + (view.centre[0] - x0) * rows[2][j]) / w)
  const v = rows[0].map((_, j) => (view.focal * rows[1][j] + (view.centre[1] - y0) * rows[2][j]) / h)
  return new three.Matrix4().set(
    u[0],
    u[1],
    u[2],
    u[3],
    v[0],
    v[1],
    v[2],
    v[3],
    rows[2][0],
    rows[2][1],
    rows[2][2],
    rows[2][3],
    0,
    0,
    0,
    1,
  )
}

export class Thrown {
  private renderer: three.WebGLRenderer
  private scene = new three.Scene()
  private textures = new Map<string, { key: string; texture: three.Texture }>()
  private targets: three.WebGLRenderTarget[] = []
  private brought = new Map<string, Float32Array>()
  private round = 0
  ready = false
  /** Surfaces that carry more throws than this view can draw, with their number; deliveries and verdicts know them all. */
  beyond: { surface: string; throws: number }[] = []

  /** `bare`: display colour, 0 to 1, of surfaces that no plate reaches; black as delivered. */
  constructor(
    canvas: HTMLCanvasElement,
    private clearTo: [number, number] = [0x000000, 1],
    private bare: [number, number, number] = [0, 0, 0],
  ) {
    this.renderer = new three.WebGLRenderer({
      canvas,
      antialias: true,
      alpha: clearTo[1] < 1,
      preserveDrawingBuffer: true,
    })
    this.renderer.setClearColor(...this.clearTo)
    this.renderer.outputColorSpace = three.LinearSRGBColorSpace // the shader writes display values itself
  }

  /** Rebuild for a changed shot; resolves once all plates are there. */
  async set(state: ShotState, looks: Looks = {}): Promise<void> {
    const round = ++this.round
    const { shot } = state
    const cameras = new Map(shot.photos.filter((p) => p.camera?.position).map((p) => [p.id, p.camera!]))
    const plates = shot.plates.filter((p) => cameras.has(p.photo))
    const used = looks.shaded ? [] : plates.filter((p) => shot.throws.some((t) => t.plate === p.id && t.targets.length))
    const brought = shot.solids.flatMap((x) => (x.kind === 'imported' ? [x] : []))
    await Promise.all([
      ...used.map((p) => this.load(state.id, p)),
      ...brought.map((x) => this.bring(state.id, x.id, x.file)),
    ])
    if (round !== this.round) return
    this.clear()
    this.beyond = []
    const groups: Group[] = []
    let face = 0
    const number = new Map(used.map((p, i) => [p.id, i]))
    state.shapes.forEach((shape, solid) => {
      const piece = shot.solids[solid]
      const brings = piece.kind === 'imported' ? this.brought.get(piece.file) : undefined
      if (looks.hide && shape.hidden) {
        face += brings ? brings.length / 9 : shape.loops.length
        return
      }
      const throwsOf = new Map<string, Group>()
      const loops = brings ? [[]] : shape.loops
      loops.forEach((loop, l) => {
        const all = shot.throws.filter(
          (t) =>
            number.has(t.plate) &&
            (t.targets.includes(shape.id) || t.targets.includes(`${shape.id}/${shape.names[l]}`)),
        )
        if (all.length > MAX_THROWS)
          this.beyond.push({ surface: `${piece.name}, ${shape.names[l]}`, throws: all.length })
        const mine = all.slice(0, MAX_THROWS)
        const key = mine.map((t) => `${t.plate}${t.occlusion}`).join()
        let group = throwsOf.get(key)
        if (!group) {
          group = {
            solid,
            throws: mine.map((t) => number.get(t.plate)!),
            occlusion: mine.map((t) => t.occlusion !== false),
            cutout: shape.cutout,
            positions: [],
            normals: [],
            faces: [],
            slant: [],
          }
          throwsOf.set(key, group)
          groups.push(group)
        }
        if (brings && piece.kind === 'imported') face = addTriangles(group, brings, piece, face)
        else
          addFace(
            group,
            loop.map((i) => shape.vertices[i] as Vec3),
            face++,
            shape.grazing?.includes(l) ?? false,
          )
      })
    })
    const meshes = groups.map((g) => ({ g, geometry: geometryOf(g) }))
    if (looks.shaded) {
      for (const { geometry } of meshes) {
        const mesh = new three.Mesh(
          geometry,
          new three.ShaderMaterial({
            glslVersion: three.GLSL3,
            vertexShader: shadedVertex,
            fragmentShader: shadedFragment,
            side: three.DoubleSide,
            polygonOffset: true,
            polygonOffsetFactor: 1,
            polygonOffsetUnits: 1,
          }),
        )
        mesh.frustumCulled = false
        this.scene.add(mesh)
        this.scene.add(
          new three.LineSegments(
            new three.EdgesGeometry(geometry, 8),
            new three.LineBasicMaterial({ color: 0x22303a }),
          ),
        )
      }
      this.ready = true
      return
    }
    const lit = used.map((p) => {
      const view = viewOf(cameras.get(p.photo)!)
      return { plate: p, view, matrix: plateMatrix(view, p.canvas), texture: this.textures.get(p.id)!.texture }
    })
    const ids = lit.map((x) => this.faceNumbers(x.plate, x.view, meshes, lit, state))
    for (const { g, geometry } of meshes) {
      const uniforms: Record<string, three.IUniform> = { bare: { value: new three.Vector3(...this.bare) } }
      g.throws.forEach((n, i) => {
        uniforms[`plate${i}`] = { value: lit[n].matrix }
        uniforms[`eye${i}`] = { value: new three.Vector3(...lit[n].view.position) }
        uniforms[`picture${i}`] = { value: lit[n].texture }
        uniforms[`ids${i}`] = { value: ids[n].texture }
      })
      const material = new three.ShaderMaterial({
        glslVersion: three.GLSL3,
        vertexShader: vertex,
        fragmentShader: lookFragment(g.throws.length, g.occlusion, g.cutout),
        uniforms,
        side: three.DoubleSide,
        transparent: g.cutout,
        depthWrite: !g.cutout,
      })
      const mesh = new three.Mesh(geometry, material)
      mesh.frustumCulled = false
      this.scene.add(mesh)
    }
    this.ready = true
  }

  /** Triangles of a piece that was brought in, nine numbers each. */
  private async bring(shot: string, solid: string, file: string) {
    if (this.brought.has(file)) return
    const response = await fetch(`/api/shots/${shot}/solids/${solid}/mesh?of=${file.slice(0, 12)}`)
    if (response.ok) this.brought.set(file, new Float32Array(await response.arrayBuffer()))
  }

  private async load(shot: string, plate: { id: string; file: string; matte?: string | null; canvas: number[] }) {
    const key = `${plate.file}${plate.matte}`
    if (this.textures.get(plate.id)?.key === key) return
    const width = Math.min(4096, this.renderer.capabilities.maxTextureSize)
    const response = await fetch(
      `/api/shots/${shot}/plates/${plate.id}/texture?width=${width}&of=${plate.file.slice(0, 8)}${(plate.matte ?? '').slice(0, 8)}`,
    )
    const bitmap = await createImageBitmap(await response.blob(), {
      premultiplyAlpha: 'none',
      colorSpaceConversion: 'none',
    })
    const texture = new three.Texture(bitmap as unknown as HTMLImageElement)
    texture.flipY = false
    texture.colorSpace = three.SRGBColorSpace
    texture.generateMipmaps = true
    texture.minFilter = three.LinearMipmapLinearFilter
    texture.anisotropy = this.renderer.capabilities.getMaxAnisotropy()
    texture.needsUpdate = true
    this.textures.get(plate.id)?.texture.dispose()
    this.textures.set(plate.id, { key, texture })
  }

  /** Face numbers as the plate's camera sees them. */
  private faceNumbers(
    plate: ShotState['shot']['plates'][number],
    view: View,
    meshes: { g: Group; geometry: three.BufferGeometry }[],
    lit: { matrix: three.Matrix4; texture: three.Texture }[],
    state: ShotState,
  ) {
    const [x0, y0, w, h] = plate.canvas
    const k = Math.min(1, RASTER / Math.max(w, h))
    const width = Math.max(1, Math.ceil(w * k))
    const height = Math.max(1, Math.ceil(h * k))
    const target = new three.WebGLRenderTarget(width, height, {
      minFilter: three.NearestFilter,
      magFilter: three.NearestFilter,
      generateMipmaps: false,
    })
    this.targets.push(target)
    const scene = new three.Scene()
    for (const { g, geometry } of meshes) {
      if (plate.without?.includes(state.shapes[g.solid].id)) continue
      const first = g.throws[0]
      const cut = g.cutout && first !== undefined
      const material = new three.ShaderMaterial({
        glslVersion: three.GLSL3,
        vertexShader: vertex,
        fragmentShader: idFragment(cut),
        side: three.DoubleSide,
        uniforms: cut ? { plate: { value: lit[first].matrix }, picture: { value: lit[first].texture } } : {},
      })
      const mesh = new three.Mesh(geometry, material)
      mesh.frustumCulled = false
      scene.add(mesh)
    }
    const seen: View = { ...view, width: w, height: h, centre: [view.centre[0] - x0, view.centre[1] - y0] }
    this.renderer.setClearColor(0x000000, 0)
    this.renderer.setRenderTarget(target)
    this.renderer.clear()
    this.renderer.render(scene, lens(seen))
    this.renderer.setRenderTarget(null)
    this.renderer.setClearColor(...this.clearTo)
    scene.traverse((o) => {
      if (o instanceof three.Mesh) (o.material as three.Material).dispose()
    })
    return target
  }

  /** What this view leaves out, in a sentence; null when it shows everything. */
  leftOut(): string | null {
    if (!this.beyond.length) return null
    const [first] = this.beyond
    const more = this.beyond.length > 1 ? ` and ${this.beyond.length - 1} more surfaces` : ''
    return `This view draws the first ${MAX_THROWS} of ${first.throws} throws on ${first.surface}${more}; verdicts and deliveries use all.`
  }

  render(view: View, width: number, height: number) {
    this.renderer.setSize(width, height, false)
    this.renderer.render(this.scene, lens(view))
  }

  private clear() {
    this.scene.traverse((o) => {
      if (o instanceof three.Mesh || o instanceof three.LineSegments) {
        o.geometry.dispose()
        ;(o.material as three.Material).dispose()
      }
    })
    this.scene.clear()
    this.targets.forEach((t) => t.dispose())
    this.targets = []
  }

  dispose() {
    this.round++
    this.clear()
    this.textures.forEach((t) => t.texture.dispose())
    this.renderer.dispose()
  }
}

/** A brought-in piece's triangles, placed; returns the next face's number. */
function addTriangles(
  group: Group,
  brings: Float32Array,
  at: { position?: number[]; turn_deg?: number; scale?: number },
  face: number,
): number {
  const a = ((at.turn_deg ?? 0) * Math.PI) / 180
  const [c, s, k] = [Math.cos(a), Math.sin(a), at.scale ?? 1]
  const [px, py, pz] = at.position ?? [0, 0, 0]
  const p = [new three.Vector3(), new three.Vector3(), new three.Vector3()]
  const n = new three.Vector3()
  for (let i = 0; i < brings.length; i += 9) {
    for (let j = 0; j < 3; j++) {
      const [x, y, z] = [brings[i + 3 * j] * k, brings[i + 3 * j + 1] * k, brings[i + 3 * j + 2] * k]
      p[j].set(c * x + s * z + px, y + py, -s * x + c * z + pz)
    }
    n.subVectors(p[1], p[0]).cross(p[2].clone().sub(p[0])).normalize()
    for (const q of p) {
      group.positions.push(q.x, q.y, q.z)
      group.normals.push(n.x, n.y, n.z)
      group.faces.push(face)
      group.slant.push(0)
    }
    face++
  }
  return face
}

function addFace(group: Group, loop: Vec3[], face: number, slant: boolean) {
  const n = [0, 0, 0]
  loop.forEach((a, i) => {
    const b = loop[(i + 1) % loop.length]
    n[0] += a[1] * b[2] - a[2] * b[1]
    n[1] += a[2] * b[0] - a[0] * b[2]
    n[2] += a[0] * b[1] - a[1] * b[0]
  })
  const size = Math.hypot(...n) || 1
  const normal = n.map((v) => v / size)
  const side =
    Math.abs(normal[1]) < 0.9
      ? new three.Vector3(...normal).cross(new three.Vector3(0, 1, 0)).normalize()
      : new three.Vector3(...normal).cross(new three.Vector3(1, 0, 0)).normalize()
  const up = new three.Vector3(...normal).cross(side)
  const flat = loop.map((p) => new three.Vector2(side.dot(new three.Vector3(...p)), up.dot(new three.Vector3(...p))))
  for (const tri of three.ShapeUtils.triangulateShape(flat, [])) {
    for (const i of tri) {
      group.positions.push(...loop[i])
      group.normals.push(...normal)
      group.faces.push(face)
      group.slant.push(slant ? 1 : 0)
    }
  }
}

function geometryOf(group: Group): three.BufferGeometry {
  const geometry = new three.BufferGeometry()
  geometry.setAttribute('position', new three.Float32BufferAttribute(group.positions, 3))
  geometry.setAttribute('normal', new three.Float32BufferAttribute(group.normals, 3))
  geometry.setAttribute('slant', new three.Float32BufferAttribute(group.slant, 1))
  geometry.setAttribute('face', new three.Float32BufferAttribute(group.faces, 1))
  return geometry
}
