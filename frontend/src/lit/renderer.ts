/** Draws the lit view on demand; measures itself and lowers mesh and sharpness where drawing is slow. */
import {
  BackSide,
  ClampToEdgeWrapping,
  Color,
  DataTexture,
  DoubleSide,
  FloatType,
  GLSL3,
  HalfFloatType,
  LessEqualDepth,
  LinearFilter,
  LinearMipmapLinearFilter,
  Mesh,
  NearestFilter,
  NoColorSpace,
  OrthographicCamera,
  PerspectiveCamera,
  RedFormat,
  RepeatWrapping,
  RGBAFormat,
  Scene,
  ShaderMaterial,
  SphereGeometry,
  SRGBColorSpace,
  Texture,
  Vector2,
  Vector3,
  Vector4,
  WebGLRenderer,
} from "three";
import { FRAGMENT, SKY_FRAGMENT, SKY_VERTEX, VERTEX } from "./shaders";
import { ownShape } from "./own";
import { formOf } from "./shapes";
import type { LitSetup } from "./state";

/** Maps that not every surface has. */
export const FURTHER = ["specular", "emissive", "opacity", "translucency"] as const;
export type Further = (typeof FURTHER)[number];

export interface HeightField {
  values: Float32Array<ArrayBuffer>;
  width: number;
  height: number;
  /** How far white stands above black, in tile widths. */
  span: number;
}

export interface Light {
  levels: Uint16Array<ArrayBuffer>;
  harmonics: Float32Array;
  width: number;
  height: number;
  count: number;
}

/** What is given up, in this order, when a frame takes too long. */
const GRADES = [
  { density: 2, segments: 384, smooth: true },
  { density: 1, segments: 256, smooth: false },
  { density: 1, segments: 128, smooth: false },
  { density: 0.75, segments: 96, smooth: false },
];
/** How the shader tells which part of the relief is shown. */
const SHOWN: Record<LitSetup["relief"], number> = { displaced: 0, colour: 1, bump: 2, normal: 3 };
const SLOW_MS = 160;
const ENOUGH = 6;
/** What a picture may take while something moves: thirty come a second. */
const MOVING_MS = 33;
/** Longer without one, and nothing was moving. */
const RESTED_MS = 250;

/** How much of the usual density is drawn while something moves, after a picture that took so long; never under half. */
export function movingShare(share: number, passed: number): number {
  if (passed > RESTED_MS) return share;
  const next = passed > 1.15 * MOVING_MS ? share * 0.85 : passed < 0.7 * MOVING_MS ? share * 1.08 : share;
  return Math.min(1, Math.max(0.5, next));
}

/** The grade to draw at after the frame at rest of that number, which took so long; the first one, number 0, compiles
 * the shaders and tells nothing. */
export function gradeAfter(grade: number, number: number, took: number, shadows: boolean): number {
  // A picture at rest may take longer where rays are followed through the height.
  const slow = shadows ? 2 * SLOW_MS : SLOW_MS;
  return number > 0 && took > slow ? Math.min(grade + 1, GRADES.length - 1) : grade;
}
const degrees = Math.PI / 180;

export class LitRenderer {
  private readonly renderer: WebGLRenderer;
  private readonly scene = new Scene();
  private readonly camera = new PerspectiveCamera(30, 1, 0.01, 20);
  private readonly level = new OrthographicCamera();
  private readonly material: ShaderMaterial;
  private readonly mesh: Mesh;
  /** What lies around, where that is shown. */
  private readonly around: Mesh;
  private grade = 1;
  /** Number of the last frame at rest that was measured. */
  private measured = -1;
  /** Of the density, while something moves; and when it last did. */
  private share = 0.6;
  private movedAt = -Infinity;
  private form = "";
  private span = 0;
  private aspect = 1;
  private tile = 1;
  private size = { width: 1, height: 1 };
  /** Milliseconds the last whole frame took. */
  lastFrame = 0;

  constructor(canvas: HTMLCanvasElement) {
    this.renderer = new WebGLRenderer({ canvas, antialias: false, alpha: false, powerPreference: "high-performance" });
    this.renderer.outputColorSpace = SRGBColorSpace;
    this.material = new ShaderMaterial({
      glslVersion: GLSL3,
      defines: this.mixesFloats ? { SMOOTH: "" } : {},
      vertexShader: VERTEX,
      fragmentShader: FRAGMENT,
      side: DoubleSide,
      uniforms: {
        baseMap: { value: null },
        normalMap: { value: null },
        packedMap: { value: null },
        heightMap: { value: null },
        heightSize: { value: new Vector2(1, 1) },
        surroundings: { value: null },
        harmonics: { value: Array.from({ length: 9 }, () => new Vector3()) },
        levels: { value: new Vector4() },
        repeats: { value: new Vector2(1, 1) },
        displacement: { value: 0 },
        toLamp: { value: new Vector3(0, 1, 0) },
        lamp: { value: 0 },
        exposure: { value: 1 },
        flags: { value: new Vector4(1, 1, 1, 1) },
        occluded: { value: 1 },
        specularMap: { value: null },
        emissiveMap: { value: null },
        opacityMap: { value: null },
        translucencyMap: { value: null },
        further: { value: new Vector4() },
        behind: { value: new Vector3() },
        parallel: { value: new Vector3() },
        relief: { value: new Vector2(0, 1) },
        shadows: { value: 0 },
        varnish: { value: 0 },
        shown: { value: 0 },
        sky: { value: new Vector2(0, 1) },
      },
    });
    this.around = new Mesh(
      new SphereGeometry(1, 32, 16),
      new ShaderMaterial({
        glslVersion: GLSL3,
        vertexShader: SKY_VERTEX,
        fragmentShader: SKY_FRAGMENT,
        side: BackSide,
        depthWrite: false,
        depthFunc: LessEqualDepth,
        uniforms: this.material.uniforms,
      }),
    );
    this.around.frustumCulled = false;
    this.scene.add(this.around);
    this.mesh = new Mesh(undefined, this.material);
    this.mesh.frustumCulled = false;
    this.scene.add(this.mesh);
  }

  private set(name: string, value: unknown) {
    const uniform = this.material.uniforms[name];
    if (uniform) uniform.value = value;
  }

  private swap(name: string, texture: Texture | null) {
    (this.material.uniforms[name]?.value as Texture | null)?.dispose();
    this.set(name, texture);
  }

  has(role: Further): boolean {
    return this.material.uniforms[`${role}Map`]?.value != null;
  }

  /** Takes a map that not every surface has; null when it is not there. */
  setFurther(role: Further, bitmap: ImageBitmap | null) {
    if (bitmap) this.setPicture(`${role}Map`, bitmap);
    else this.swap(`${role}Map`, null);
  }

  setPicture(name: "baseMap" | "normalMap" | "packedMap" | `${Further}Map`, bitmap: ImageBitmap) {
    const texture = new Texture(bitmap);
    texture.flipY = false;
    texture.colorSpace = /^(base|specular|emissive|translucency)/.test(name) ? SRGBColorSpace : NoColorSpace;
    texture.wrapS = texture.wrapT = RepeatWrapping;
    texture.minFilter = LinearMipmapLinearFilter;
    texture.generateMipmaps = true;
    texture.needsUpdate = true;
    if (name === "baseMap") this.aspect = bitmap.height / bitmap.width;
    this.swap(name, texture);
  }

  setHeight(field: HeightField) {
    const texture = new DataTexture(field.values, field.width, field.height, RedFormat, FloatType);
    texture.wrapS = texture.wrapT = RepeatWrapping;
    texture.minFilter = texture.magFilter = this.mixesFloats ? LinearFilter : NearestFilter;
    texture.needsUpdate = true;
    this.span = field.span;
    this.swap("heightMap", texture);
    this.set("heightSize", new Vector2(field.width, field.height));
  }

  setLight(light: Light) {
    const texture = new DataTexture(light.levels, light.width, light.height * light.count, RGBAFormat, HalfFloatType);
    texture.wrapS = RepeatWrapping;
    texture.wrapT = ClampToEdgeWrapping;
    texture.minFilter = texture.magFilter = LinearFilter;
    texture.needsUpdate = true;
    this.swap("surroundings", texture);
    this.set("levels", new Vector4(light.width, light.height, light.count, 0));
    this.set(
      "harmonics",
      Array.from(
        { length: 9 },
        (_, i) => new Vector3(light.harmonics[3 * i], light.harmonics[3 * i + 1], light.harmonics[3 * i + 2]),
      ),
    );
  }

  private get mixesFloats(): boolean {
    return this.renderer.extensions.has("OES_texture_float_linear");
  }

  get ready(): boolean {
    return ["baseMap", "normalMap", "packedMap", "heightMap", "surroundings"].every(
      (name) => this.material.uniforms[name]?.value,
    );
  }

  resize(width: number, height: number) {
    this.size = { width, height };
  }

  /** Draws. moving: a drag is under way, so a coarser picture will do. */
  draw(setup: LitSetup, surround: string, moving: boolean) {
    if (!this.ready || !this.size.width) return;
    const began = performance.now();
    const grade = GRADES[this.grade]!;
    const eased = moving && this.grade > 0;
    if (eased) {
      this.share = movingShare(this.share, began - this.movedAt);
      this.movedAt = began;
    }
    // In steps, so that the canvas is not made anew with every picture.
    const density = Math.min(devicePixelRatio, grade.density) * (eased ? Math.round(this.share * 10) / 10 : 1);
    if (this.renderer.getPixelRatio() !== density) this.renderer.setPixelRatio(density);
    this.renderer.setSize(this.size.width, this.size.height, false);
    this.renderer.setClearColor(surround);
    this.shape(setup, setup.fineness || grade.segments);
    const camera = this.view(setup);
    this.around.visible = setup.background && !setup.parallel;
    this.set("sky", new Vector2(setup.skyTurn * degrees, setup.skyLight));
    this.set("varnish", setup.varnish / 100);
    this.set("shown", SHOWN[setup.relief]);
    // Rays through the height are dear where drawing is slow: they follow once nothing moves.
    const deep = setup.relief === "displaced" && setup.displacement > 0 && !setup.off.includes("height");
    this.set("shadows", setup.shadows && deep && (!moving || this.grade === 0) ? 1 : 0);
    const shade = new Color(surround).convertLinearToSRGB();
    this.set("behind", new Vector3(shade.r, shade.g, shade.b));
    this.renderer.render(this.scene, camera);
    if (!moving && this.measured < ENOUGH) {
      this.measured += 1;
      // Reading a pixel waits until the frame is really done.
      const pixel = new Uint8Array(4);
      const gl = this.renderer.getContext();
      gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, pixel);
      this.lastFrame = performance.now() - began;
      const next = gradeAfter(this.grade, this.measured, this.lastFrame, !!this.material.uniforms.shadows?.value);
      if (next !== this.grade) this.measured = 0;
      this.grade = next;
    }
  }

  private shape(setup: LitSetup, segments: number) {
    // The slab is as deep as the view is tall, so that it fills it; in quarters, so that it is rarely made anew.
    const deep = Math.min(1.75, Math.max(0.75, Math.round((this.size.height / this.size.width) * 4) / 4));
    const own = setup.shape === "own" ? ownShape() : null;
    const shape = setup.shape === "own" ? "ball" : setup.shape;
    const wanted = own ? `own/${own.name}` : `${shape}/${segments}/${this.aspect}/${deep}`;
    if (this.form !== wanted) {
      this.mesh.geometry.dispose();
      const form =
        own?.form ?? formOf(shape, shape === "cube" ? Math.round(segments / 2) : segments, this.aspect, deep);
      this.mesh.geometry = form.geometry;
      this.mesh.userData = form;
      this.form = wanted;
    }
    const { tile, across, down } = this.mesh.userData as { tile: number; across: number; down: number };
    this.tile = tile / setup.repeat;
    // Round shapes close only over whole tiles; the slab may end anywhere.
    const rows =
      setup.shape === "slab" || setup.shape === "own"
        ? down * setup.repeat
        : Math.max(1, Math.round(down * setup.repeat));
    this.set("repeats", new Vector2(across * setup.repeat, rows));
    const shown = setup.off.includes("height") ? 0 : setup.displacement / 100;
    this.set("relief", new Vector2(this.span * (setup.displacement / 100 || 1), this.aspect));
    this.set("displacement", setup.relief === "displaced" ? this.span * this.tile * shown : 0);
    const on = (role: LitSetup["off"][number]) => (setup.off.includes(role) ? 0 : 1);
    this.set("flags", new Vector4(on("base_color"), on("normal"), on("roughness"), on("metallic")));
    this.set("occluded", setup.relief === "displaced" ? on("ambient_occlusion") : 0);
    const there = (role: Further) => (this.material.uniforms[`${role}Map`]?.value ? on(role) : 0);
    this.set("further", new Vector4(there("specular"), there("emissive"), there("opacity"), there("translucency")));
  }

  private view(setup: LitSetup): PerspectiveCamera | OrthographicCamera {
    const { width, height } = this.size;
    this.camera.aspect = width / height;
    const flat = setup.shape === "slab";
    const tilt = (flat ? setup.tilt : setup.tilt - 42) * degrees;
    // A cube shows two faces from the start.
    const turn = (setup.turn + (setup.shape === "cube" ? 32 : 0)) * degrees;
    const narrow = Math.min(1, width / height);
    const away = ((flat ? 1.75 : 2.2) * setup.distance) / Math.max(narrow, 0.45);
    this.camera.position.set(
      Math.sin(turn) * Math.cos(tilt) * away,
      Math.sin(tilt) * away,
      Math.cos(turn) * Math.cos(tilt) * away,
    );
    this.camera.lookAt(0, 0, flat ? 0.04 : 0);
    this.camera.updateProjectionMatrix();
    const toward = this.camera.position
      .clone()
      .sub(new Vector3(0, 0, flat ? 0.04 : 0))
      .normalize();
    this.set("parallel", setup.parallel ? toward : new Vector3());
    if (setup.parallel) {
      const reach = Math.tan(15 * degrees) * away;
      Object.assign(this.level, {
        left: (-reach * width) / height,
        right: (reach * width) / height,
        top: reach,
        bottom: -reach,
        near: 0.01,
        far: 20,
      });
      this.level.position.copy(this.camera.position);
      this.level.quaternion.copy(this.camera.quaternion);
      this.level.updateProjectionMatrix();
    }
    const [b, e] = [setup.bearing * degrees, setup.elevation * degrees];
    const [right, up, out] = [
      Math.cos(b) * Math.cos(e),
      Math.sin(b) * Math.cos(e),
      Math.sin(e) * (setup.behind ? -1 : 1),
    ];
    // The slab lies on its back: its picture's top points away from the viewer.
    const toLamp = flat
      ? new Vector3(right, out, -up)
      : new Vector3(right, up, out).applyAxisAngle(new Vector3(0, 1, 0), turn);
    this.set("toLamp", toLamp);
    this.set("lamp", setup.lamp);
    this.set("exposure", 2 ** setup.exposure);
    return setup.parallel ? this.level : this.camera;
  }

  dispose() {
    for (const name of [
      "baseMap",
      "normalMap",
      "packedMap",
      "heightMap",
      "surroundings",
      ...FURTHER.map((role) => `${role}Map`),
    ])
      (this.material.uniforms[name]?.value as Texture | null)?.dispose();
    this.mesh.geometry.dispose();
    this.around.geometry.dispose();
    (this.around.material as ShaderMaterial).dispose();
    this.material.dispose();
    this.renderer.dispose();
  }
}
