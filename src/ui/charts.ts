/** What of Apache ECharts is drawn with; loaded when a chart is there to be seen. */
import { BarChart, LineChart } from 'echarts/charts'
import { AriaComponent, GridComponent, TooltipComponent } from 'echarts/components'
import { init, use } from 'echarts/core'
import { SVGRenderer } from 'echarts/renderers'

use([BarChart, LineChart, GridComponent, TooltipComponent, AriaComponent, SVGRenderer])

export { init }
