import { useEffect, useRef } from 'react'

/** Numbers that are drawn one beside the other. */
export interface ChartSeries {
  readonly name: string
  readonly values: readonly number[]
  readonly kind: 'bar' | 'line'
  /** Of the theme: such as "--rope". */
  readonly colour: string
}

/**
 * Numbers over time, drawn. What it shows stands beside it in words and in a table: whoever does not see it misses nothing.
 * @param label - what is drawn, in a sentence
 */
export function Chart({
  label,
  labels,
  series,
  height = 200,
}: {
  label: string
  labels: readonly string[]
  series: readonly ChartSeries[]
  height?: number
}) {
  const place = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const element = place.current
    if (element === null) return
    let end: () => void = () => {}
    let isOver = false
    void import('./charts.ts').then(({ init }) => {
      if (isOver) return
      const chart = init(element, null, { renderer: 'svg' })
      const draw = (): void => {
        const style = getComputedStyle(element)
        const colour = (name: string): string => style.getPropertyValue(name).trim()
        const axis = {
          axisLabel: { color: colour('--ink-soft'), fontFamily: 'inherit' },
          axisLine: { lineStyle: { color: colour('--rule') } },
        }
        chart.setOption({
          animation: false,
          aria: { enabled: true, label: { description: label } },
          grid: { left: 4, right: 8, top: 10, bottom: 2, containLabel: true },
          textStyle: { fontFamily: style.fontFamily },
          tooltip: {
            trigger: 'axis',
            backgroundColor: colour('--sheet'),
            borderColor: colour('--rule'),
            textStyle: { color: colour('--ink') },
          },
          xAxis: { type: 'category', data: [...labels], axisTick: { show: false }, ...axis },
          yAxis: { type: 'value', minInterval: 1, splitLine: { lineStyle: { color: colour('--rule') } }, ...axis },
          series: series.map(({ name, values, kind, colour: of }) => ({
            name,
            type: kind,
            data: [...values],
            color: colour(of),
            ...(kind === 'bar' ? { stack: 'bars', barMaxWidth: 26 } : { symbol: 'none', lineStyle: { width: 1.8, type: 'dashed' } }),
          })),
        })
      }
      draw()
      const resize = new ResizeObserver(() => chart.resize())
      resize.observe(element)
      const dark = matchMedia('(prefers-color-scheme: dark)')
      dark.addEventListener('change', draw)
      end = () => {
        resize.disconnect()
        dark.removeEventListener('change', draw)
        chart.dispose()
      }
    })
    return () => {
      isOver = true
      end()
    }
  }, [label, labels, series])
  return <div ref={place} role="img" aria-label={label} style={{ height }} className="w-full" />
}
