/** A picture of linear light that is drawn first, and shown on the screen then. */
import * as three from 'three'
import { screenFragment, screenVertex } from './shaders'

export class LinearScreen {
  private target: three.WebGLRenderTarget | null = null
  private light: three.IUniform<three.Texture | null> = { value: null }
  private sheet = new three.Mesh(
    new three.PlaneGeometry(2, 2),
    new three.ShaderMaterial({
      glslVersion: three.GLSL3,
      vertexShader: screenVertex,
      fragmentShader: screenFragment,
      uniforms: { light: this.light },
      depthTest: false,
      depthWrite: false,
    }),
  )
  private scene = new three.Scene().add(this.sheet)

  render(renderer: three.WebGLRenderer, scene: three.Scene, camera: three.Camera, width: number, height: number) {
    if (this.target?.width !== width || this.target.height !== height) {
      this.target?.dispose()
      this.target = new three.WebGLRenderTarget(width, height, { type: three.HalfFloatType, samples: 4 })
      this.light.value = this.target.texture
    }
    this.sheet.frustumCulled = false
    renderer.setRenderTarget(this.target)
    renderer.clear()
    renderer.render(scene, camera)
    renderer.setRenderTarget(null)
    renderer.render(this.scene, camera)
  }

  dispose() {
    this.target?.dispose()
    this.sheet.geometry.dispose()
    this.sheet.material.dispose()
  }
}
