import { it } from 'vitest';
import { FLICKER_CASES, GROUNDS, CASE_WIDTH as width, CASE_HEIGHT as height } from './flickerCases';
import { SequenceMeter } from '../measure/stability/sequence';
import { writeFileSync } from 'node:fs';
it('table', () => {
  const rows: string[] = [];
  const only = process.env.ONLY;
  for (const c of FLICKER_CASES) for (const g of GROUNDS) {
    if (only && !new RegExp(only).test(c.name)) continue;
    if (process.env.QUICK && (/zooming|±12/.test(c.name) && /codes/.test(c.name))) continue;
    const frames = c.frames(g);
    const out: string[] = [];
    for (const vectors of process.env.BOTH ? [false, true] : [false]) {
      const meter = new SequenceMeter();
      const seen: string[] = [];
      frames.forEach((f, n) => {
        const rgb = new Float32Array(width * height * 3);
        for (let i = 0; i < width * height; i++) rgb.fill(f.luminance[i], i * 3, i * 3 + 3);
        meter.add({ name: `f${n}`, width, height, tone: 'none', rgb, motion: vectors ? (f.motion ?? new Float32Array(width * height * 2)) : undefined, ids: vectors ? f.ids ?? undefined : undefined }, n);
      });
      const r = meter.report();
      const kinds = Object.entries(r.kinds).filter(([,s]) => s > 0.05).map(([k,s]) => `${k}${Math.round(s*100)}`).join(' ');
      out.push(`${r.index.toFixed(2)}/${r.peak.toFixed(2)} cov ${(r.coverage*100).toFixed(0)} ml ${(r.movingLight*100).toFixed(0)} ${kinds} ${(r as {headline?: string}).headline ?? ''}`.padEnd(48));
      const bad = c.expected === 'calm' ? r.peak >= 1 : r.peak < 1;
      out.push(bad ? '✗' : ' ');
    }
    rows.push(`${c.name.padEnd(52)} ${g.padEnd(6)} ${c.expected.padEnd(8)} | ${out.join(' | ')}`);
  }
  writeFileSync(process.env.OUT ?? '/tmp/scratch/table.txt', rows.join('\n') + '\n');
}, 600000);
