declare module 'plotly.js-basic-dist-min' {
  import Plotly from 'plotly.js'
  export default Plotly
}
