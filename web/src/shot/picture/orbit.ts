/** A camera that stands at a place, carried around its aim: so many degrees to the right and up. */
export function carried(place: number[], aim: number[], right: number, up: number): number[] {
  const [x, y, z] = place.map((p, i) => p - (aim[i] ?? 0)) as [number, number, number];
  const far = Math.hypot(x, y, z) || 1e-6;
  const radians = Math.PI / 180;
  const yaw = Math.atan2(x, z) + right * radians;
  const most = 89 * radians;
  const pitch = Math.min(most, Math.max(-most, Math.asin(y / far) + up * radians));
  const way = [Math.sin(yaw) * Math.cos(pitch), Math.sin(pitch), Math.cos(yaw) * Math.cos(pitch)];
  return way.map((w, i) => Number(((aim[i] ?? 0) + far * w).toFixed(4)));
}

/** The same, nearer or further away. */
export function nearer(place: number[], aim: number[], factor: number): number[] {
  return place.map((p, i) => Number(((aim[i] ?? 0) + (p - (aim[i] ?? 0)) * factor).toFixed(4)));
}
