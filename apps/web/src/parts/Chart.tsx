import { Chart as Drawn, type ChartConfiguration, type ChartComponentLike } from 'chart.js';
import { useEffect, useRef } from 'react';
import { useView } from '../state/view.ts';

const face = '"Atkinson Hyperlegible Next Variable"';

/** A chart in the type and colours of the sheet, drawn anew when theme or data change; `says` is what it shows, in words. */
export function Chart({
  uses,
  config,
  says,
  className = 'h-[150px]',
}: {
  /** The parts of Chart.js that the configuration needs. */
  uses: readonly ChartComponentLike[];
  /** Kept as long as the data is the same: a new function is a new chart. */
  config: (colour: (name: string) => string) => ChartConfiguration;
  says: string;
  className?: string;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useView((s) => s.theme);
  // biome-ignore lint/correctness/useExhaustiveDependencies: the theme changes the colours that are read from the page
  useEffect(() => {
    Drawn.register(...uses);
    let chart: Drawn | undefined;
    let gone = false;
    const style = getComputedStyle(document.documentElement);
    // Text on a canvas is not drawn again when its font arrives.
    void document.fonts.load(`12px ${face}`).then(() => {
      if (gone || !canvas.current) return;
      Drawn.defaults.font.family = `${face}, sans-serif`;
      Drawn.defaults.font.size = 12;
      chart = new Drawn(
        canvas.current,
        config((n) => style.getPropertyValue(n).trim()),
      );
    });
    return () => {
      gone = true;
      chart?.destroy();
    };
  }, [config, theme]);
  return (
    <div className={className}>
      <canvas ref={canvas} role="img" aria-label={says} />
    </div>
  );
}
