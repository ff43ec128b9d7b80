/** Nobody means what came under the pointer so shortly before the press, in ms: it takes longer than this to see and to act. */
const REACTION = 300;

/**
 * Buttons in a line that may wrap: a press on one that has just moved, because something arrived above or beside it, was meant
 * for what stood there before, and does nothing. What has only just appeared has not moved.
 */
export function steady(onmoved: () => void): (group: HTMLElement) => () => void {
  return (group) => {
    const places = new WeakMap<Element, { left: number; top: number; moved: number }>();
    const look = () => {
      const now = performance.now();
      for (const one of group.children) {
        if (!(one instanceof HTMLElement)) continue;
        const [left, top] = [one.offsetLeft, one.offsetTop];
        const known = places.get(one);
        if (known?.left === left && known.top === top) continue;
        places.set(one, { left, top, moved: known ? now : -Infinity });
      }
    };
    // Nothing in the row moves but by something in it that grows, shrinks, comes or goes.
    const observer = new ResizeObserver(look);
    observer.observe(group);
    const row = group.closest('[data-row]');
    if (row) observer.observe(row);
    for (const one of group.children) observer.observe(one);
    let tooSoon = false;
    const onDown = (event: PointerEvent) => {
      look();
      const under = [...group.children].find((one) => event.target instanceof Node && one.contains(event.target));
      tooSoon = !!under && performance.now() - (places.get(under)?.moved ?? -Infinity) < REACTION;
    };
    const onClick = (event: MouseEvent) => {
      // A click by key has no pointer.
      if (!tooSoon || event.detail === 0) return;
      tooSoon = false;
      // Whoever presses again has seen it.
      for (const one of group.children) places.delete(one);
      look();
      event.preventDefault();
      event.stopPropagation();
      onmoved();
    };
    group.addEventListener('pointerdown', onDown, true);
    group.addEventListener('click', onClick, true);
    return () => {
      observer.disconnect();
      group.removeEventListener('pointerdown', onDown, true);
      group.removeEventListener('click', onClick, true);
    };
  };
}
