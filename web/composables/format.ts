/** Figures as they are shown. */
export function formatMs(seconds: number): string {
  const ms = seconds * 1000;
  if (ms >= 9950) return `${(ms / 1000).toFixed(1)} s`;
  if (ms >= 999.5) return `${(ms / 1000).toFixed(2)} s`;
  return ms >= 9.95 ? `${ms.toFixed(0)} ms` : `${ms.toFixed(1)} ms`;
}

export function formatBytes(bytes: number): string {
  const mb = bytes / 2 ** 20;
  if (bytes > 0 && mb < 0.1) return `${Math.max(1, Math.round(bytes / 1024))} kB`;
  if (mb >= 1023.5) return `${(mb / 1024).toFixed(1)} GB`;
  return mb >= 9.95 ? `${mb.toFixed(0)} MB` : `${mb.toFixed(1)} MB`;
}

/** 75 → "1 min 15 s" */
export function formatDuration(seconds: number): string {
  const s = Math.max(0, Math.round(seconds));
  if (s < 60) return `${s} s`;
  const minutes = Math.floor(s / 60);
  if (minutes < 60) return `${minutes} min ${String(s % 60).padStart(2, '0')} s`;
  return `${Math.floor(minutes / 60)} h ${String(minutes % 60).padStart(2, '0')} min`;
}

export function formatDate(iso: string): string {
  return new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short' }).format(new Date(iso));
}

/** 0.1234 → "12 %", 0.0123 → "1.2 %" */
export function formatPercent(share: number): string {
  const p = share * 100;
  return `${Math.abs(p) >= 9.95 ? p.toFixed(0) : p.toFixed(1)} %`;
}
