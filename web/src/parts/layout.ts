/**
 * An area: what it shows above, its content below. Where there is room for one pane at a time the whole of it scrolls, so
 * that a tall head never leaves nothing for the content (WCAG 2.2, 1.4.10).
 */
export const areaLayout =
  'grid h-full grid-rows-[auto_minmax(0,1fr)] max-[899px]:grid-rows-[auto_max(20rem,70vh)] max-[899px]:overflow-y-auto'
