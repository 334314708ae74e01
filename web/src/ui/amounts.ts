/** Bytes as people say them. */
export function megabytes(bytes: number): string {
  if (bytes < 1e6) return `${Math.ceil(bytes / 1e3)} kB`;
  return bytes < 1e9 ? `${(bytes / 1e6).toFixed(1)} MB` : `${(bytes / 1e9).toFixed(1)} GB`;
}

/** A length of time, as exactly as an estimate is. */
export function roughly(seconds: number): string {
  if (seconds < 10) return 'a few seconds';
  if (seconds < 90) return `${Math.round(seconds / 10) * 10} seconds`;
  if (seconds < 90 * 60) return `${Math.round(seconds / 60)} minutes`;
  if (seconds < 36 * 3600) return `${Math.round(seconds / 3600)} hours`;
  return `${Math.round(seconds / 86_400)} days`;
}
