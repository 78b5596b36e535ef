// Shows the parts of the page so that they can be turned: by dragging, with the arrow keys, nearer
// by wheel, pinch, + and -. Without WebGL the still picture stays.
"use strict";
(function () {
  const place = document.querySelector(".turn");
  const text = document.getElementById("part");
  if (!place || !text) return;

  // The file: a JSON chunk that describes, and one with the numbers.
  function opened(bytes) {
    const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
    if (view.getUint32(0, true) !== 0x46546C67) throw new Error("no GLB");
    const length = view.getUint32(12, true);
    const told = JSON.parse(new TextDecoder().decode(bytes.subarray(20, 20 + length)));
    const start = 20 + length + 8;
    function numbers(index) {
      const accessor = told.accessors[index], buffer = told.bufferViews[accessor.bufferView];
      const wide = { SCALAR: 1, VEC2: 2, VEC3: 3, VEC4: 4 }[accessor.type] * accessor.count;
      const at = start + (buffer.byteOffset || 0) + (accessor.byteOffset || 0);
      const kind = { 5121: Uint8Array, 5123: Uint16Array, 5125: Uint32Array, 5126: Float32Array }[accessor.componentType];
      return new kind(bytes.slice(at, at + wide * kind.BYTES_PER_ELEMENT).buffer);
    }
    const parts = [];
    for (const mesh of told.meshes) {
      for (const one of mesh.primitives) {
        const points = numbers(one.attributes.POSITION), normals = numbers(one.attributes.NORMAL);
        const order = one.indices === undefined ? null : numbers(one.indices);
        parts.push({ points: spread(points, order), normals: spread(normals, order) });
      }
    }
    return parts;
  }

  // Corners in the order of the triangles, so that no part is too large for small indices.
  function spread(values, order) {
    if (!order) return values;
    const found = new Float32Array(order.length * 3);
    for (let k = 0; k < order.length; k++) {
      for (let i = 0; i < 3; i++) found[3 * k + i] = values[3 * order[k] + i];
    }
    return found;
  }

  function joined(lists) {
    const found = new Float32Array(lists.reduce((sum, one) => sum + one.length, 0));
    let at = 0;
    for (const one of lists) { found.set(one, at); at += one.length; }
    return found;
  }

  function ball(points) {
    const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
    for (let k = 0; k < points.length; k += 3) {
      for (let i = 0; i < 3; i++) {
        low[i] = Math.min(low[i], points[k + i]);
        high[i] = Math.max(high[i], points[k + i]);
      }
    }
    const middle = [0, 1, 2].map((i) => (low[i] + high[i]) / 2);
    return { middle, radius: Math.hypot(...[0, 1, 2].map((i) => high[i] - low[i])) / 2 || 1 };
  }

  const SHAPE = "attribute vec3 at, normal; uniform mat3 turn; uniform vec3 middle; uniform vec2 scale;" +
    "varying vec3 face; void main() { vec3 p = turn * (at - middle); face = turn * normal;" +
    "gl_Position = vec4(p.xy * scale, -p.z * min(scale.x, scale.y) * 0.1, 1.0); }";
  const PAINT = "precision mediump float; varying vec3 face; uniform vec3 ink; void main() {" +
    "vec3 n = normalize(face); float light = 0.42 + 0.5 * max(0.0, dot(n, normalize(vec3(-0.35, 0.75, 0.55))))" +
    " + 0.14 * max(0.0, dot(n, normalize(vec3(0.8, 0.1, 0.5)))); gl_FragColor = vec4(ink * light, 1.0); }";

  function program(gl) {
    const found = gl.createProgram();
    for (const [kind, source] of [[gl.VERTEX_SHADER, SHAPE], [gl.FRAGMENT_SHADER, PAINT]]) {
      const shader = gl.createShader(kind);
      gl.shaderSource(shader, source);
      gl.compileShader(shader);
      if (!gl.getShaderParameter(shader, gl.COMPILE_STATUS)) throw new Error(gl.getShaderInfoLog(shader));
      gl.attachShader(found, shader);
    }
    gl.linkProgram(found);
    if (!gl.getProgramParameter(found, gl.LINK_STATUS)) throw new Error(gl.getProgramInfoLog(found));
    return found;
  }

  try {
    const raw = atob(text.textContent.trim());
    const parts = opened(Uint8Array.from(raw, (letter) => letter.charCodeAt(0)));
    const points = joined(parts.map((one) => one.points)), normals = joined(parts.map((one) => one.normals));
    const canvas = document.createElement("canvas");
    canvas.tabIndex = 0;
    canvas.setAttribute("role", "img");
    canvas.setAttribute("aria-label", place.dataset.said || "the part; the arrow keys turn it");
    place.appendChild(canvas);
    const gl = canvas.getContext("webgl", { antialias: true, alpha: true, preserveDrawingBuffer: true });
    if (!gl) { canvas.remove(); place.dataset.state = "still"; return; }
    const made = program(gl), { middle, radius } = ball(points);
    gl.useProgram(made);
    for (const [name, values] of [["at", points], ["normal", normals]]) {
      gl.bindBuffer(gl.ARRAY_BUFFER, gl.createBuffer());
      gl.bufferData(gl.ARRAY_BUFFER, values, gl.STATIC_DRAW);
      const where = gl.getAttribLocation(made, name);
      gl.enableVertexAttribArray(where);
      gl.vertexAttribPointer(where, 3, gl.FLOAT, false, 0, 0);
    }
    const where = (name) => gl.getUniformLocation(made, name);
    gl.uniform3f(where("middle"), ...middle);
    gl.uniform3f(where("ink"), 201 / 255, 163 / 255, 106 / 255);
    gl.enable(gl.DEPTH_TEST);

    let around = 0.6, above = 0.55, near = 1.0, waits = false;
    // Columns: about the upright axis first, then towards the eye.
    function turned() {
      const [c, s, d, t] = [Math.cos(around), Math.sin(around), Math.cos(above), Math.sin(above)];
      return [c, t * s, -d * s, 0, d, t, s, -t * c, d * c];
    }
    // As large as the place allows, as it is seen first: a ball about a long part leaves much empty.
    function fill() {
      const m = turned();
      let right = 0, up = 0;
      for (let k = 0; k < points.length; k += 3) {
        const [x, y, z] = [0, 1, 2].map((i) => points[k + i] - middle[i]);
        right = Math.max(right, Math.abs(m[0] * x + m[3] * y + m[6] * z));
        up = Math.max(up, Math.abs(m[1] * x + m[4] * y + m[7] * z));
      }
      const wide = canvas.clientWidth || 1, high = canvas.clientHeight || 1;
      const share = Math.max(right * Math.min(1, high / wide), up * Math.min(1, wide / high)) / radius;
      near = Math.max(0.5, Math.min(8, 0.98 / Math.max(share, 0.01)));
    }
    function draw() {
      waits = false;
      const dots = window.devicePixelRatio || 1;
      const wide = Math.max(1, Math.round(canvas.clientWidth * dots));
      const high = Math.max(1, Math.round(canvas.clientHeight * dots));
      if (canvas.width !== wide || canvas.height !== high) { canvas.width = wide; canvas.height = high; }
      gl.viewport(0, 0, wide, high);
      gl.clearColor(0, 0, 0, 0);
      gl.clear(gl.COLOR_BUFFER_BIT | gl.DEPTH_BUFFER_BIT);
      gl.uniformMatrix3fv(where("turn"), false, turned());
      const fit = 0.94 * near / radius;
      gl.uniform2f(where("scale"), fit * Math.min(1, high / wide), fit * Math.min(1, wide / high));
      gl.drawArrays(gl.TRIANGLES, 0, points.length / 3);
      place.dataset.state = "turns";
    }
    function again() { if (!waits) { waits = true; requestAnimationFrame(draw); } }
    function turn(right, up) {
      around += right;
      above = Math.max(-1.55, Math.min(1.55, above + up));
      again();
    }
    function closer(by) { near = Math.max(0.5, Math.min(8, near * by)); again(); }

    const held = new Map();
    canvas.addEventListener("pointerdown", (event) => {
      canvas.setPointerCapture(event.pointerId);
      held.set(event.pointerId, [event.clientX, event.clientY]);
    });
    canvas.addEventListener("pointermove", (event) => {
      const before = held.get(event.pointerId);
      if (!before) return;
      if (held.size === 2) {
        const other = [...held].find(([id]) => id !== event.pointerId)[1];
        const apart = (a) => Math.hypot(a[0] - other[0], a[1] - other[1]) || 1;
        closer(apart([event.clientX, event.clientY]) / apart(before));
      } else {
        turn((event.clientX - before[0]) * 0.01, (event.clientY - before[1]) * 0.01);
      }
      held.set(event.pointerId, [event.clientX, event.clientY]);
    });
    for (const kind of ["pointerup", "pointercancel"]) {
      canvas.addEventListener(kind, (event) => held.delete(event.pointerId));
    }
    canvas.addEventListener("wheel", (event) => {
      if (document.activeElement !== canvas) return; // the page is to be scrolled past it
      event.preventDefault();
      closer(Math.exp(-event.deltaY * 0.0015));
    }, { passive: false });
    canvas.addEventListener("keydown", (event) => {
      const does = {
        ArrowLeft: () => turn(-0.12, 0), ArrowRight: () => turn(0.12, 0),
        ArrowUp: () => turn(0, 0.12), ArrowDown: () => turn(0, -0.12),
        "+": () => closer(1.15), "-": () => closer(1 / 1.15),
        Home: () => { around = 0.6; above = 0.55; fill(); again(); },
      }[event.key];
      if (does) { event.preventDefault(); does(); }
    });
    window.addEventListener("resize", again);
    fill();
    draw();
  } catch (error) {
    place.dataset.state = "still";
    place.dataset.why = String(error);
  }
})();
