import { configure } from '@testing-library/react'

configure({ asyncUtilTimeout: 10_000 }) // a busy machine is no failure

// The library that draws figures asks at once for the pixels of the screen, which there is none of.
window.matchMedia ??= (() => ({ matches: false, addEventListener: () => {}, removeEventListener: () => {} })) as unknown as typeof window.matchMedia

// The editor asks where letters are drawn, which is nowhere.
Range.prototype.getClientRects ??= () => [] as unknown as DOMRectList

// Nothing is out of sight where there is no page.
Element.prototype.scrollIntoView ??= () => {}
