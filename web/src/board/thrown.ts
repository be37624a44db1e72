/**
 * Plates thrown on the solids, drawn by the GPU for playing and moving about. It decides nothing: verdicts and
 * delivered pixels come from the server. Where a plate's camera could see is told by a picture of face numbers drawn
 * from that camera.
 */
import * as three from 'three'
import { textureOf, type ShotState, type Throw, type Vec3 } from '../api/client'
import { viewOf, type View } from './camera'
import { lens, plateMatrix, poseMatrix, raysOf, type Moved } from './lens'
import { NO_LEVEL, addedPieces, addTriangles, addFace, geometryOf, type Group } from './faces'
import { LinearScreen } from './linearScreen'
import { ahead, Running, type Film } from './running'
import { Paced, type Quality } from './paced'
import { idFragment, lookFragment, shadedFragment, shadedVertex, vertex } from './shaders'

const RASTER = 2048
const RUNNING = 1280 // pixels that a video's pictures are wide here
const AHEAD = 24 // frames
const FULL: Quality = { fully: true, share: 1 }
export const MAX_THROWS = 7 // two textures each, of the sixteen that a shader may read

/** `shaded`: shape only, with what plates hardly reach hatched; pieces hidden on the board are left out where asked. */
export interface Looks {
  shaded?: boolean
  hide?: boolean
}

interface Piece {
  meshes: three.Mesh[]
  standpoint: three.Vector3
  rays: three.Matrix3
  opacity: { value: number }
}

export class Thrown {
  private renderer: three.WebGLRenderer
  private scene = new three.Scene()
  private textures = new Map<string, { key: string; texture: three.Texture; canvas: number[] }>()
  private targets: three.WebGLRenderTarget[] = []
  private brought = new Map<string, Float32Array>()
  private round = 0
  /** By piece: its meshes, and the lens of the view that is drawn as it sees it at rest. */
  private pieces = new Map<string, Piece>()
  /** Whether light is drawn, and not display values. */
  private lit = { value: 0 }
  private painted = false
  /** Whether plates are read at one place for a pixel, and not with the whole filter. */
  private plainly = { value: 0 }
  private screen = new LinearScreen()
  private films: Film[] = []
  private shot = ''
  private pace: Paced | null = null
  private running = new Running(
    (film, frame) => this.pictureOf(film, frame),
    (frame) => this.arrived?.(frame),
  )
  /** Told the frame of which a video's picture has come. */
  arrived: ((frame: number) => void) | null = null
  ready = false
  /** Why a plate is not drawn. */
  private failed: string | null = null
  /** Surfaces that carry more throws than this view can draw, with their number; deliveries and verdicts know all. */
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
    this.shot = state.id
    const cameras = new Map(shot.photos.filter((p) => p.camera?.position).map((p) => [p.id, p.camera!]))
    const plates = shot.plates.filter((p) => cameras.has(p.photo))
    const wanted = looks.shaded
      ? []
      : plates.filter((p) => shot.throws.some((t) => t.plate === p.id && t.targets.length))
    this.failed = null
    const brought = shot.solids.flatMap((x) => (x.kind === 'imported' ? [x] : []))
    await Promise.all([
      ...wanted.map((p) => this.load(p.id, state.pictures[p.id] ?? '', p.canvas, !!p.video)),
      ...brought.map((x) => this.bring(state.id, x.id, x.file)),
    ])
    if (round !== this.round) return
    this.painted = shot.delivery.blend === 'as_painted'
    const used = wanted.filter((p) => this.textures.has(p.id))
    this.films = used.filter((p) => p.video).map((p) => ({ plate: p.id, key: state.pictures[p.id] ?? '' }))
    this.clear()
    this.beyond = []
    const groups: Group[] = []
    let face = 0
    const number = new Map(used.map((p, i) => [p.id, i]))
    state.shapes.forEach((shape, solid) => {
      const piece = shot.solids[solid]
      const brings = piece.kind === 'imported' ? this.brought.get(piece.file) : undefined
      if (!shape.in_set || (looks.hide && shape.hidden)) {
        face += brings ? brings.length / 9 : shape.loops.length
        return
      }
      const throwsOf = new Map<string, Group>()
      const loops = brings ? [[]] : shape.loops
      loops.forEach((loop, l) => {
        const among = (list: string[]) => list.includes(shape.id) || list.includes(`${shape.id}/${shape.names[l]}`)
        const reach = shot.throws.filter((t) => number.has(t.plate) && among(t.targets))
        // those that are tried first here, before the order of the list
        const first = (t: Throw) => Number(among(t.first_on))
        const all = reach.sort((a, b) => first(b) - first(a))
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
            passes: [],
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
            piece.kind === 'flat' && shape.names[l] === 'below' ? (piece.passes ?? NO_LEVEL) : NO_LEVEL,
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
      const { texture, canvas } = this.textures.get(p.id)!
      return { plate: { ...p, canvas }, view, matrix: plateMatrix(view, canvas), texture }
    })
    const ids = lit.map((x) => this.faceNumbers(x.plate, x.view, meshes, lit, state))
    for (const { g, geometry } of meshes) {
      const piece = this.pieceOf(state.shapes[g.solid].id)
      const uniforms: Record<string, three.IUniform> = {
        bare: { value: new three.Vector3(...this.bare) },
        standpoint: { value: piece.standpoint },
        rays: { value: piece.rays },
        opaque: piece.opacity,
        lit: this.lit,
        plainly: this.plainly,
      }
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
      mesh.matrixAutoUpdate = false
      piece.meshes.push(mesh)
      this.scene.add(mesh)
    }
    this.ready = true
  }

  private pieceOf(id: string) {
    const fresh = { meshes: [], standpoint: new three.Vector3(), rays: new three.Matrix3(), opacity: { value: 1 } }
    return this.pieces.get(id) ?? this.pieces.set(id, fresh).get(id)!
  }

  /** Triangles of a piece that was brought in, nine numbers each. */
  private async bring(shot: string, solid: string, file: string) {
    if (this.brought.has(file)) return
    const response = await fetch(`/api/shots/${shot}/solids/${solid}/mesh?of=${file.slice(0, 12)}`)
    if (response.ok) this.brought.set(file, new Float32Array(await response.arrayBuffer()))
  }

  /** Show videos as they are at a frame, as far as their pictures are there; the next ones are got ahead. */
  show(frame: number, first: number, last: number, playing: boolean): boolean {
    if (!this.films.length) return true
    this.running.want(this.films, ahead(frame, playing ? AHEAD : 0, first, last))
    let all = true
    for (const film of this.films) {
      const picture = this.running.at(film, frame)
      const texture = this.textures.get(film.plate)?.texture
      if (!picture || !texture) all = false
      else if (texture.image !== picture) {
        texture.image = picture as unknown as HTMLImageElement
        texture.needsUpdate = true
      }
    }
    return all
  }

  private async pictureOf(film: Film, frame: number) {
    const response = await fetch(textureOf(this.shot, film.plate, RUNNING, film.key, frame))
    if (!response.ok) throw new Error(`no picture of ${film.plate}`)
    return createImageBitmap(await response.blob(), { premultiplyAlpha: 'none', colorSpaceConversion: 'none' })
  }

  private async load(plate: string, key: string, whole: number[], runs: boolean) {
    if (key && this.textures.get(plate)?.key === key) return
    const width = runs ? RUNNING : Math.min(4096, this.renderer.capabilities.maxTextureSize)
    const response = await fetch(textureOf(this.shot, plate, width, key))
    if (!response.ok) {
      const problem = (await response.json().catch(() => ({}))) as { detail?: string }
      this.failed = problem.detail ?? 'A plate could not be worked out.'
      this.textures.get(plate)?.texture.dispose()
      this.textures.delete(plate)
      return
    }
    const canvas = response.headers.get('Roof-Line-Canvas')?.split(',').map(Number) ?? whole
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
    this.renderer.initTexture(texture) // one after the other as they come, not all in the first frame
    this.textures.get(plate)?.texture.dispose()
    this.textures.set(plate, { key, texture, canvas })
  }

  /** Face numbers as the plate's camera sees them. */
  private faceNumbers(
    plate: { id: string; canvas: number[]; without?: string[] },
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
    const added = addedPieces(state.shot)
    const mine = state.shot.throws.filter((t) => t.plate === plate.id)
    const own = new Set(mine.flatMap((t) => t.targets.map((x) => x.split('/')[0])))
    for (const { g, geometry } of meshes) {
      const id = state.shapes[g.solid].id
      if (plate.without?.includes(id) || (added.has(id) && !own.has(id))) continue
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
    if (this.failed) return this.failed
    if (!this.beyond.length) return null
    const [first] = this.beyond
    const more = this.beyond.length > 1 ? ` and ${this.beyond.length - 1} more surfaces` : ''
    const drawn = `the first ${MAX_THROWS} of ${first.throws} throws on ${first.surface}${more}`
    return `This view draws ${drawn}; verdicts and deliveries use all.`
  }

  /** Draws at the machine's pace, as `draw` says, by `render`. */
  paced(draw: (quality: Quality) => void): Paced {
    return (this.pace = new Paced(this.renderer.getContext() as WebGL2RenderingContext, draw))
  }

  /** `moved`: the pieces that are not at rest in this view. */
  render(view: View, width: number, height: number, moved: Moved[] = [], quality: Quality = FULL) {
    const [across, down] = [width, height].map((n) => Math.max(1, Math.round(n * quality.share)))
    this.plainly.value = quality.fully ? 0 : 1
    this.renderer.domElement.dataset.quality = quality.fully ? 'full' : 'plain'
    this.renderer.setSize(across, down, false)
    const rays = raysOf(view, across, down)
    for (const [id, piece] of this.pieces) {
      const now = moved.find((m) => m.solid === id)
      const pose = poseMatrix(now)
      piece.opacity.value = now?.opacity ?? 1
      const back = pose.clone().invert()
      piece.standpoint.set(...view.position).applyMatrix4(back)
      piece.rays.setFromMatrix4(back).multiply(rays)
      for (const mesh of piece.meshes) {
        mesh.matrix.copy(pose)
        mesh.matrixWorldNeedsUpdate = true
      }
    }
    // what is half clear is laid over in linear light, as the engine does it: in a picture of its own first; what
    // blends as painted is laid over as it is shown
    this.lit.value = !this.painted && moved.some((m) => m.opacity < 1) ? 1 : 0
    if (this.lit.value) this.screen.render(this.renderer, this.scene, lens(view), across, down)
    else this.renderer.render(this.scene, lens(view))
  }

  private clear() {
    this.scene.traverse((o) => {
      if (o instanceof three.Mesh || o instanceof three.LineSegments) {
        o.geometry.dispose()
        ;(o.material as three.Material).dispose()
      }
    })
    this.scene.clear()
    this.pieces.clear()
    this.targets.forEach((t) => t.dispose())
    this.targets = []
  }

  dispose() {
    this.round++
    this.arrived = null
    this.pace?.stop()
    this.running.clear()
    this.clear()
    this.textures.forEach((t) => t.texture.dispose())
    this.screen.dispose()
    this.renderer.dispose()
  }
}
