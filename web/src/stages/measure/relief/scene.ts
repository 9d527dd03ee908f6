import {
  Box3,
  BoxGeometry,
  BufferAttribute,
  BufferGeometry,
  DataTexture,
  DoubleSide,
  Group,
  type Intersection,
  LinearFilter,
  Mesh,
  MeshBasicMaterial,
  OrthographicCamera,
  Raycaster,
  Scene,
  ShaderMaterial,
  type Texture,
  TextureLoader,
  Vector2,
  Vector3,
  Vector4,
  WebGLRenderer,
} from "three";
import { OrbitControls } from "three/examples/jsm/controls/OrbitControls.js";
import { CSS2DObject, CSS2DRenderer } from "three/examples/jsm/renderers/CSS2DRenderer.js";
import { um } from "../../../lib/numbers";
import { FRAGMENT, VERTEX } from "./shaders";
import { type Part, roundLength, type Surface } from "./surface";

/** How the surface is shown. */
export interface Look {
  /** By depth instead of with the picture. */
  coloured: boolean;
  /** Contour lines every so many µm. */
  contours: number | null;
  exaggeration: number;
}

interface Legend {
  near: number;
  far: number;
  colours: string[];
}

const SIDE = 1.45; // as far round as one may look: behind it nothing was seen
const HOME = { round: -0.45, over: Math.PI / 2 + 0.6 };
const REST_MS = 250;
const DETAIL_BELOW = 0.55; // of the picture's width in view, or the whole surface is fine enough
const SLOW_MS = 40;
const TURNING_SHARPNESS = 0.5;
const SHARPNESS = () => Math.min(window.devicePixelRatio, 2);
const BAR = "#f2b43c";

const PROBES = [0, 0.2, 0.4, 0.7].flatMap((off) =>
  off
    ? [0, 1, 2, 3, 4, 5].map((turn) => {
        const angle = (turn * Math.PI) / 3;
        return new Vector2(off * Math.cos(angle), off * Math.sin(angle));
      })
    : [new Vector2(0, 0)],
);

/** The relief of a merge, drawn in a box of the page, that can be turned. Throws where the browser draws nothing in 3D. */
export class Relief {
  private readonly renderer = new WebGLRenderer({ antialias: false });
  private readonly names = new CSS2DRenderer();
  private readonly scene = new Scene();
  private readonly all = new Group();
  private readonly camera = new OrthographicCamera();
  private readonly controls: OrbitControls;
  private readonly resized: ResizeObserver;
  private readonly ramp: DataTexture;
  private whole: Mesh<BufferGeometry, ShaderMaterial> | null = null;
  private detail: Mesh<BufferGeometry, ShaderMaterial> | null = null;
  private bars: Group | null = null;
  private look: Look = { coloured: false, contours: null, exaggeration: 1 };
  private waiting = 0;
  private resting = 0;
  private radius = 1;
  private drawnAt = 0;

  constructor(
    private readonly box: HTMLElement,
    private readonly picture: { width: number; height: number; umPerPx: number },
    private readonly legend: Legend,
    /** Told the part of the picture in view once it rests, or null while all of it is. */
    private readonly onRest: (part: Part | null) => void,
  ) {
    this.renderer.setClearColor("#2a2d2c");
    this.sharpness(SHARPNESS());
    this.names.domElement.style.position = "absolute";
    this.names.domElement.style.inset = "0";
    this.names.domElement.style.pointerEvents = "none";
    this.renderer.domElement.setAttribute("aria-hidden", "true");
    box.append(this.renderer.domElement, this.names.domElement);
    this.ramp = rampOf(legend.colours);
    this.scene.add(this.all);
    this.controls = new OrbitControls(this.camera, this.renderer.domElement);
    this.controls.minAzimuthAngle = -SIDE;
    this.controls.maxAzimuthAngle = SIDE;
    this.controls.minPolarAngle = Math.PI / 2 - SIDE;
    this.controls.maxPolarAngle = Math.PI / 2 + SIDE;
    this.controls.zoomToCursor = true;
    this.controls.addEventListener("change", () => this.changed());
    this.resized = new ResizeObserver(() => this.fit());
    this.resized.observe(box);
    this.fit();
  }

  /** The whole surface with its picture; resolves when it is on the screen. */
  async show(surface: Surface, picture: string): Promise<void> {
    this.whole = await this.mesh(surface, picture, { x: 0, y: 0, ...this.picture });
    this.all.add(this.whole);
    this.whole.geometry.computeBoundingBox();
    this.radius = (this.whole.geometry.boundingBox as Box3).getSize(new Vector3()).length() / 2;
    this.scaleBars();
    this.home();
    this.draw();
  }

  /** A part of it, finer, in place of the same part of the whole; null takes it away. */
  async refine(surface: Surface | null, picture: string, part: Part | null): Promise<void> {
    const made = surface && part && surface.triangles.length ? await this.mesh(surface, picture, part) : null;
    if (this.detail) {
      this.all.remove(this.detail);
      release(this.detail);
    }
    this.detail = made;
    if (made) this.all.add(made);
    if (this.whole) {
      // One corner is left on every side, so that no slit shows.
      const off = surface?.everyPx ?? 0;
      const hole = this.whole.material.uniforms.hole as { value: Vector4 };
      if (made && part)
        hole.value.set(part.x + off, part.y + off, part.x + part.width - off, part.y + part.height - off);
      else hole.value.set(0, 0, 0, 0);
    }
    this.draw();
  }

  set(look: Look) {
    const deeper = look.exaggeration !== this.look.exaggeration;
    if (deeper) {
      // What is looked at stays where it is.
      const { z } = this.controls.target;
      const aside = z * (look.exaggeration / this.look.exaggeration - 1);
      this.controls.target.z += aside;
      this.camera.position.z += aside;
    }
    this.look = look;
    this.all.scale.z = look.exaggeration;
    for (const mesh of [this.whole, this.detail]) if (mesh) this.dress(mesh);
    if (deeper) {
      this.scaleBars();
      this.controls.update();
    }
    this.draw();
  }

  /** Turn by so many degrees to the right and upwards. */
  turn(right: number, up: number) {
    const off = this.camera.position.clone().sub(this.controls.target);
    const { radius, theta, phi } = toSphere(off);
    const round = clamp(theta + (right * Math.PI) / 180, -SIDE, SIDE);
    const over = clamp(phi + (up * Math.PI) / 180, Math.PI / 2 - SIDE, Math.PI / 2 + SIDE);
    this.camera.position.copy(this.controls.target).add(fromSphere(radius, round, over));
    this.controls.update();
    this.changed();
  }

  zoom(by: number) {
    this.camera.zoom = clamp(this.camera.zoom * by, 0.3, 60);
    this.camera.updateProjectionMatrix();
    this.changed();
  }

  /** All of it, seen from a little below and left. */
  home() {
    const middle = new Box3().setFromObject(this.whole ?? this.all).getCenter(new Vector3());
    this.controls.target.copy(middle);
    this.camera.position.copy(middle).add(fromSphere(this.radius * 4, HOME.round, HOME.over));
    this.camera.zoom = 1;
    this.fit();
    this.controls.update();
    this.changed();
  }

  private draw() {
    this.renderer.render(this.scene, this.camera);
    this.names.render(this.scene, this.camera);
  }

  close() {
    this.resized.disconnect();
    this.controls.dispose();
    for (const mesh of [this.whole, this.detail]) if (mesh) release(mesh);
    this.ramp.dispose();
    cancelAnimationFrame(this.waiting);
    window.clearTimeout(this.resting);
    this.renderer.dispose();
    this.renderer.forceContextLoss();
    this.box.replaceChildren();
  }

  private changed() {
    window.clearTimeout(this.resting);
    this.resting = window.setTimeout(() => this.rest(), REST_MS);
    if (this.waiting) return;
    this.waiting = requestAnimationFrame((now) => {
      this.waiting = 0;
      // Where a picture takes long it is drawn with fewer pixels for as long as it turns.
      const took = now - this.drawnAt;
      this.drawnAt = now;
      if (took > SLOW_MS && took < REST_MS) this.sharpness(TURNING_SHARPNESS);
      this.draw();
    });
  }

  private rest() {
    if (this.renderer.getPixelRatio() !== SHARPNESS()) {
      this.sharpness(SHARPNESS());
      this.draw();
    }
    this.onRest(this.inView());
  }

  private sharpness(ratio: number) {
    if (this.renderer.getPixelRatio() !== ratio) this.renderer.setPixelRatio(ratio);
  }

  private fit() {
    const { clientWidth: width, clientHeight: height } = this.box;
    if (!width || !height) return;
    this.renderer.setSize(width, height);
    this.names.setSize(width, height);
    const tall = this.radius * 0.82 * Math.max(1, height / width);
    this.camera.top = tall;
    this.camera.bottom = -tall;
    this.camera.left = (-tall * width) / height;
    this.camera.right = (tall * width) / height;
    this.camera.near = 0.1 * this.radius;
    this.camera.far = 20 * this.radius;
    this.camera.updateProjectionMatrix();
    this.changed();
  }

  /** The part of the picture in view, or null where the whole surface is fine enough. */
  private inView(): Part | null {
    if (!this.whole) return null;
    const { width, height, umPerPx } = this.picture;
    const wide = (this.camera.right - this.camera.left) / this.camera.zoom / umPerPx;
    if (wide > DETAIL_BELOW * width) return null;
    const ray = new Raycaster();
    let hit: Intersection | undefined;
    // In the middle the surface may be open: what lies nearest to it counts.
    for (const at of PROBES) {
      ray.setFromCamera(at, this.camera);
      hit = ray.intersectObject(this.whole)[0];
      if (hit?.face) break;
    }
    if (!hit?.face) return null;
    const places = this.whole.geometry.getAttribute("place");
    const [x, y] = [places.getX(hit.face.a), places.getY(hit.face.a)];
    const half = Math.ceil(wide / 2);
    const [left, top] = [Math.max(0, Math.floor(x - half)), Math.max(0, Math.floor(y - half))];
    return {
      x: left,
      y: top,
      width: Math.min(width, Math.ceil(x + half)) - left,
      height: Math.min(height, Math.ceil(y + half)) - top,
    };
  }

  private async mesh(surface: Surface, picture: string, part: Part) {
    const geometry = new BufferGeometry();
    geometry.setAttribute("position", new BufferAttribute(surface.corners, 3));
    geometry.setAttribute("place", new BufferAttribute(surface.places, 2));
    geometry.setIndex(new BufferAttribute(surface.triangles, 1));
    geometry.computeVertexNormals();
    const shown: Texture = await new TextureLoader().loadAsync(picture);
    const { near, far } = this.legend;
    const made = new Mesh(
      geometry,
      new ShaderMaterial({
        vertexShader: VERTEX,
        fragmentShader: FRAGMENT,
        side: DoubleSide,
        uniforms: {
          picture: { value: shown },
          ramp: { value: this.ramp },
          origin: { value: new Vector2(part.x, part.y) },
          size: { value: new Vector2(part.width, part.height) },
          range: { value: new Vector2(near, far) },
          hole: { value: new Vector4(0, 0, 0, 0) },
          coloured: { value: false },
          every: { value: 0 },
        },
      }),
    );
    this.dress(made);
    return made;
  }

  private dress(mesh: Mesh<BufferGeometry, ShaderMaterial>) {
    const { coloured, every } = mesh.material.uniforms as Record<string, { value: unknown }>;
    if (coloured) coloured.value = this.look.coloured;
    if (every) every.value = this.look.contours ?? 0;
  }

  /** A scale in all three directions, from the corner that is deepest, left and below. */
  private scaleBars() {
    if (this.bars) {
      this.bars.traverse((one) => one instanceof CSS2DObject && one.element.remove());
      this.scene.remove(this.bars);
    }
    const around = this.whole?.geometry.boundingBox;
    if (!around) return;
    const size = around.getSize(new Vector3());
    const thick = this.radius / 260;
    const { exaggeration } = this.look;
    const corner = new Vector3(
      around.min.x - 5 * thick,
      around.min.y - 5 * thick,
      around.min.z * exaggeration,
    );
    const bars = new Group();
    const directions = [
      ["x", size.x / 3, 1, ""],
      ["y", size.y / 3, 1, ""],
      ["z", size.z * 0.8, exaggeration, " deep"],
    ] as const;
    for (const [axis, most, times, words] of directions) {
      if (!(most > 0)) continue;
      const length = roundLength(most);
      const drawn = length * times;
      const middle = corner.clone();
      middle[axis] += drawn / 2;
      const lengths = new Vector3(thick, thick, thick);
      lengths[axis] = drawn;
      const bar = new Mesh(new BoxGeometry(...lengths.toArray()), new MeshBasicMaterial({ color: BAR }));
      bar.position.copy(middle);
      const name = document.createElement("span");
      name.className = "bg-mat px-1 text-[0.8125rem] text-white";
      name.textContent = `${um(length)}${words}`;
      const label = new CSS2DObject(name);
      label.position.copy(corner);
      label.position[axis] += drawn + 6 * thick;
      bars.add(bar, label);
    }
    this.bars = bars;
    this.scene.add(bars);
  }
}

function rampOf(colours: string[]): DataTexture {
  const bytes = colours.flatMap((one) => [
    ...[1, 3, 5].map((at) => Number.parseInt(one.slice(at, at + 2), 16)),
    255,
  ]);
  const ramp = new DataTexture(new Uint8Array(bytes), colours.length, 1);
  ramp.magFilter = LinearFilter;
  ramp.needsUpdate = true;
  return ramp;
}

function release(mesh: Mesh<BufferGeometry, ShaderMaterial>) {
  (mesh.material.uniforms.picture as { value: Texture }).value.dispose();
  mesh.geometry.dispose();
  mesh.material.dispose();
}

/** Round the picture's upright: to the right, and over from its upper end. */
function toSphere(off: Vector3) {
  const radius = off.length();
  return { radius, theta: Math.atan2(off.x, off.z), phi: Math.acos(clamp(off.y / radius, -1, 1)) };
}

function fromSphere(radius: number, theta: number, phi: number): Vector3 {
  const flat = radius * Math.sin(phi);
  return new Vector3(flat * Math.sin(theta), radius * Math.cos(phi), flat * Math.cos(theta));
}

const clamp = (value: number, least: number, most: number) => Math.min(most, Math.max(least, value));
