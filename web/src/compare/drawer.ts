import type { Schemas } from '../api/client';
import { fragment, NITS, STOP_COLOURS, type Variant, VERTEX } from './shader';

type Program = Schemas['Program'];

/** Light of a picture in the working space, RGBA in half floats, rows from the top. */
export interface Light {
  key: string;
  width: number;
  height: number;
  pixels: Uint16Array;
}

/** What a pane shows of a picture, and how. */
export interface Shot {
  light: Light;
  programKey: string;
  program: Program;
  /** Stops. */
  exposure: number;
  /** What part of the picture: its upper left and size, as shares of the whole. */
  window: { x: number; y: number; width: number; height: number };
  /** Pixels of the canvas. */
  width: number;
  height: number;
  marks: Marks;
  grade: Grade;
  /** The program gives the display's light, which is drawn as a heat map in nits. */
  inNits: boolean;
  /** What the numbers mean to the screen. */
  screen: Screen;
}

/** As CSS Color 4 calls them. */
export type Screen = 'srgb' | 'display-p3';

export type Grade = Schemas['Grade'];

export const NO_GRADE: Grade = {
  place: 'none',
  slope: [1, 1, 1],
  offset: [0, 0, 0],
  power: [1, 1, 1],
  saturation: 1,
  exposure: 0,
  log: false,
  curve: [0, 0.25, 0.5, 0.75, 1],
};
const PLACES: Grade['place'][] = ['none', 'before', 'after'];

/** What is marked on a picture instead of, or over, what the display shows. */
export const MARKS = ['picture', 'stops', 'clipped', 'negative', 'outside'] as const;
export type Marks = (typeof MARKS)[number];

const STEP = 0.25;

/** The slopes of a monotone cubic through heights at even places (Fritsch and Butland, 1984), as core has them. */
export function slopesOf(heights: number[]): number[] {
  const rise = (at: number) => ((heights[at + 1] ?? 0) - (heights[at] ?? 0)) / STEP;
  const end = (near: number, next: number) => {
    const slope = (3 * near - next) / 2;
    if (slope * near <= 0) return 0;
    return near * next <= 0 && Math.abs(slope) > 3 * Math.abs(near) ? 3 * near : slope;
  };
  const last = heights.length - 1;
  return heights.map((_, at) => {
    if (at === 0) return end(rise(0), rise(1));
    if (at === last) return end(rise(last - 1), rise(last - 2));
    const [before, after] = [rise(at - 1), rise(at)];
    return before * after <= 0 ? 0 : (2 * before * after) / (before + after);
  });
}

const PLAIN: Variant = { place: 0, inLog: false, curves: false, marks: 0, inNits: false };

/** What of a shader a shot needs. */
function variantOf({ grade, marks, inNits, program }: Shot): Variant {
  const inLog = grade.log && grade.place === 'before' && program.to_log !== null;
  const curves = (inLog || grade.place === 'after') && grade.curve.some((height, at) => height !== NO_GRADE.curve[at]);
  return { place: PLACES.indexOf(grade.place), inLog, curves, marks: MARKS.indexOf(marks), inNits };
}

/** Why a program cannot be used, for the pane that falls back. */
export class NotDrawn extends Error {}

interface Compiled {
  program: WebGLProgram;
  textures: { texture: WebGLTexture; target: number; sampler: WebGLUniformLocation | null }[];
  source: Program;
}

/** A picture in the graphics memory, and whether smaller ones of it are beside it. */
interface Picture {
  texture: WebGLTexture;
  pixels: number;
  isReduced: boolean;
}

/** Up to here, neighbours alone are averaged when a picture is shown smaller; beyond, smaller pictures are made first. */
const MOST_SHRUNK = 2.1;
/** Of eight bytes: half a gigabyte of graphics memory at the most, unless one picture needs more. */
const PIXELS_KEPT = 1 << 26;
const PROGRAMS_KEPT = 24;

/** Draws every pane of a page in one context, so that a picture is in the graphics memory once. */
export class Drawer {
  private readonly canvas: OffscreenCanvas;
  private readonly gl: WebGL2RenderingContext;
  private readonly pictures = new Map<string, Picture>();
  private readonly programs = new Map<string, Compiled | NotDrawn>();
  /** The context was taken away, by the system or by a driver that was reset. */
  lost = false;

  constructor(onLost: () => void, onRestored: () => void) {
    if (typeof OffscreenCanvas === 'undefined') throw new NotDrawn('This browser cannot draw in the background.');
    this.canvas = new OffscreenCanvas(1, 1);
    const gl = this.canvas.getContext('webgl2', { antialias: false, alpha: true, premultipliedAlpha: false });
    if (!gl) throw new NotDrawn('This browser has no WebGL2.');
    this.gl = gl;
    gl.getExtension('OES_texture_float_linear');
    gl.getExtension('EXT_color_buffer_float');
    this.canvas.addEventListener('webglcontextlost', (event) => {
      event.preventDefault();
      this.lost = true;
      this.forget();
      onLost();
    });
    this.canvas.addEventListener('webglcontextrestored', () => {
      this.lost = false;
      onRestored();
    });
  }

  private forget() {
    this.pictures.clear();
    this.programs.clear();
  }

  /** Why a program cannot be drawn with; undefined where it can. */
  refusal(key: string, program: Program): string | undefined {
    try {
      this.compiled(key, program, PLAIN);
      return undefined;
    } catch (error) {
      if (error instanceof NotDrawn) return error.message;
      throw error;
    }
  }

  /** Draw a shot, and give it as a picture of the canvas's size. */
  draw(shot: Shot): ImageBitmap {
    this.canvas.width = shot.width;
    this.canvas.height = shot.height;
    // Older browsers have no such property, and draw for sRGB.
    if ('drawingBufferColorSpace' in this.gl) this.gl.drawingBufferColorSpace = shot.screen;
    this.run(shot);
    return this.canvas.transferToImageBitmap();
  }

  /** What the program makes of light, as floats: RGB for each of the colours. */
  measure(light: Float32Array, programKey: string, program: Program): Float32Array {
    const { gl } = this;
    const count = light.length / 3;
    const width = Math.min(count, 1024);
    const height = Math.ceil(count / width);
    const rgba = new Float32Array(width * height * 4);
    for (let at = 0; at < count; at++) rgba.set(light.subarray(at * 3, at * 3 + 3), at * 4);
    const source = this.texture(gl.TEXTURE_2D);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, width, height, 0, gl.RGBA, gl.FLOAT, rgba);
    const target = this.texture(gl.TEXTURE_2D);
    gl.texImage2D(gl.TEXTURE_2D, 0, gl.RGBA32F, width, height, 0, gl.RGBA, gl.FLOAT, null);
    const frame = gl.createFramebuffer();
    gl.bindFramebuffer(gl.FRAMEBUFFER, frame);
    gl.framebufferTexture2D(gl.FRAMEBUFFER, gl.COLOR_ATTACHMENT0, gl.TEXTURE_2D, target, 0);
    const read = new Float32Array(width * height * 4);
    try {
      if (gl.checkFramebufferStatus(gl.FRAMEBUFFER) !== gl.FRAMEBUFFER_COMPLETE)
        throw new NotDrawn('This browser cannot draw floats, so its colours cannot be measured.');
      const whole = { x: 0, y: 1, width: 1, height: -1 };
      this.use(this.compiled(programKey, program, PLAIN), source, {
        exposure: 0,
        window: whole,
        marks: 'picture',
        grade: NO_GRADE,
        inNits: false,
        width,
        height,
      });
      gl.readPixels(0, 0, width, height, gl.RGBA, gl.FLOAT, read);
    } finally {
      gl.bindFramebuffer(gl.FRAMEBUFFER, null);
      gl.deleteFramebuffer(frame);
      gl.deleteTexture(source);
      gl.deleteTexture(target);
    }
    const rgb = new Float32Array(count * 3);
    for (let at = 0; at < count; at++) rgb.set(read.subarray(at * 4, at * 4 + 3), at * 3);
    return rgb;
  }

  private run(shot: Shot) {
    const { light, window, width } = shot;
    const shrunk = (light.width * window.width) / width;
    const picture = this.picture(light);
    const { gl } = this;
    gl.bindTexture(gl.TEXTURE_2D, picture.texture);
    if (shrunk > MOST_SHRUNK && !picture.isReduced) {
      gl.generateMipmap(gl.TEXTURE_2D);
      picture.isReduced = true;
    }
    const shrinking = shrunk > MOST_SHRUNK ? gl.LINEAR_MIPMAP_LINEAR : gl.LINEAR;
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MAG_FILTER, gl.NEAREST);
    gl.texParameteri(gl.TEXTURE_2D, gl.TEXTURE_MIN_FILTER, shrunk > 1 ? shrinking : gl.NEAREST);
    const { programKey, program } = shot;
    const compiled = this.compiled(programKey, program, variantOf(shot));
    this.use(compiled, picture.texture, shot);
  }

  private use(
    { program, textures, source }: Compiled,
    picture: WebGLTexture,
    { exposure, window, grade, width, height }: Omit<Shot, 'light' | 'programKey' | 'program' | 'screen'>,
  ) {
    const { gl } = this;
    const place = (name: string) => gl.getUniformLocation(program, name);
    gl.useProgram(program);
    gl.viewport(0, 0, width, height);
    gl.activeTexture(gl.TEXTURE0);
    gl.bindTexture(gl.TEXTURE_2D, picture);
    gl.uniform1i(gl.getUniformLocation(program, 'light'), 0);
    textures.forEach(({ texture, target, sampler }, index) => {
      gl.activeTexture(gl.TEXTURE1 + index);
      gl.bindTexture(target, texture);
      gl.uniform1i(sampler, index + 1);
    });
    gl.uniform1f(place('gain'), 2 ** exposure);
    gl.uniform4f(place('part'), window.x, window.y, window.width, window.height);
    gl.uniform3fv(place('luminance'), source.luminance as number[]);
    gl.uniform3fv(place('stopColours'), STOP_COLOURS.flat());
    gl.uniform3fv(place('nitColours'), NITS.flatMap(({ colour }) => colour));
    gl.uniform1fv(place('nitsFrom'), NITS.map(({ from }) => from));
    this.setGrade(place, grade, source);
    gl.drawArrays(gl.TRIANGLES, 0, 3);
  }

  private setGrade(place: (name: string) => WebGLUniformLocation | null, grade: Grade, source: Program) {
    const { gl } = this;
    const matrix = (rows: Program['to_log']) => (rows ?? [[1, 0, 0], [0, 1, 0], [0, 0, 1]]).flat() as number[];
    gl.uniform3fv(place('slope'), grade.slope);
    gl.uniform3fv(place('offset'), grade.offset);
    gl.uniform3fv(place('power'), grade.power);
    gl.uniform1f(place('saturation'), grade.saturation);
    gl.uniform1f(place('gradeGain'), 2 ** grade.exposure);
    gl.uniformMatrix3fv(place('toLog'), true, matrix(source.to_log));
    gl.uniformMatrix3fv(place('fromLog'), true, matrix(source.from_log));
    gl.uniform1fv(place('heights'), grade.curve);
    gl.uniform1fv(place('slopes'), slopesOf(grade.curve));
  }

  private picture(light: Light): Picture {
    const kept = this.pictures.get(light.key);
    if (kept) return kept;
    const { gl } = this;
    let pixels = light.width * light.height;
    for (const { pixels: more } of this.pictures.values()) pixels += more;
    for (const [oldest, { texture, pixels: fewer }] of this.pictures) {
      if (pixels <= PIXELS_KEPT) break;
      gl.deleteTexture(texture);
      this.pictures.delete(oldest);
      pixels -= fewer;
    }
    const texture = this.texture(gl.TEXTURE_2D);
    gl.texImage2D(
      gl.TEXTURE_2D, 0, gl.RGBA16F, light.width, light.height, 0, gl.RGBA, gl.HALF_FLOAT, light.pixels,
    );
    const picture = { texture, pixels: light.width * light.height, isReduced: false };
    this.pictures.set(light.key, picture);
    return picture;
  }

  private compiled(of: string, source: Program, variant: Variant): Compiled {
    const key = `${of} ${Object.values(variant).join()}`;
    const kept = this.programs.get(key);
    if (kept instanceof NotDrawn) throw kept;
    if (kept) return kept;
    if (this.programs.size >= PROGRAMS_KEPT) this.release(this.programs.keys().next().value as string);
    try {
      const made = this.compile(source, variant);
      this.programs.set(key, made);
      return made;
    } catch (error) {
      if (error instanceof NotDrawn) this.programs.set(key, error);
      throw error;
    }
  }

  /** Give a program and its LUTs back to the graphics memory. */
  private release(key: string) {
    const kept = this.programs.get(key);
    this.programs.delete(key);
    if (!kept || kept instanceof NotDrawn) return;
    this.gl.deleteProgram(kept.program);
    for (const { texture } of kept.textures) this.gl.deleteTexture(texture);
  }

  private compile(source: Program, variant: Variant): Compiled {
    const { gl } = this;
    const program = gl.createProgram();
    for (const [type, text] of [
      [gl.VERTEX_SHADER, VERTEX],
      [gl.FRAGMENT_SHADER, fragment(source, variant)],
    ] as const) {
      const shader = gl.createShader(type);
      if (!shader) throw new NotDrawn('The graphics context is gone.');
      gl.shaderSource(shader, text);
      gl.compileShader(shader);
      gl.attachShader(program, shader);
      gl.deleteShader(shader); // it goes with the program
    }
    gl.linkProgram(program);
    if (!gl.getProgramParameter(program, gl.LINK_STATUS)) {
      gl.deleteProgram(program);
      throw new NotDrawn('The view’s program does not compile in this browser.');
    }
    const textures = source.textures.map((lut) => {
      const target = lut.size.length === 3 ? gl.TEXTURE_3D : gl.TEXTURE_2D;
      const texture = this.texture(target, lut.smooth);
      const [width = 1, height = 1, depth = 1] = lut.size;
      const values = new Float32Array(Uint8Array.from(atob(lut.values), (letter) => letter.charCodeAt(0)).buffer);
      const [inside, format] = lut.channels === 1 ? [gl.R32F, gl.RED] : [gl.RGB32F, gl.RGB];
      gl.pixelStorei(gl.UNPACK_ALIGNMENT, 1);
      if (target === gl.TEXTURE_3D)
        gl.texImage3D(target, 0, inside, width, height, depth, 0, format, gl.FLOAT, values);
      else gl.texImage2D(target, 0, inside, width, height, 0, format, gl.FLOAT, values);
      return { texture, target, sampler: gl.getUniformLocation(program, lut.sampler) };
    });
    return { program, textures, source };
  }

  private texture(target: number, smooth = false): WebGLTexture {
    const { gl } = this;
    const texture = gl.createTexture();
    gl.bindTexture(target, texture);
    const filter = smooth ? gl.LINEAR : gl.NEAREST;
    gl.texParameteri(target, gl.TEXTURE_MIN_FILTER, filter);
    gl.texParameteri(target, gl.TEXTURE_MAG_FILTER, filter);
    for (const side of [gl.TEXTURE_WRAP_S, gl.TEXTURE_WRAP_T, gl.TEXTURE_WRAP_R])
      gl.texParameteri(target, side, gl.CLAMP_TO_EDGE);
    return texture;
  }
}
