// Keeps the focus on something: when what had it goes away by itself, the focus goes to the list or to the page. Out of a
// field that went away it goes where no letter acts, since a person may still be typing.

const FIELD = 'input:not([type=checkbox], [type=radio], [type=file], [type=button]), textarea, [contenteditable]';

/** True for what one types into. */
export const isField = (target: EventTarget | null): boolean => target instanceof Element && target.matches(FIELD);

let last: Element | null = null;

/** What had the focus last, also when it has none now. */
export const lastFocused = (): Element | null => last;

/** Watches over the focus; this node says by its class that one types. Gives how to end that. */
export function keepFocus(root: HTMLElement): () => void {
  const came = (event: FocusEvent) => {
    last = event.target instanceof Element ? event.target : null;
    // While one types, single letters are letters: hints say so.
    root.classList.toggle('typing', isField(last));
  };
  // What a pointer does to the focus is meant so.
  const pressed = () => (last = null);
  const recover = () => {
    if (last === null || (document.activeElement !== null && document.activeElement !== document.body)) return;
    const lost = last;
    if (lost.isConnected && lost instanceof HTMLElement) lost.focus({ preventScroll: true });
    if (document.activeElement === lost) return;
    const wanted = isField(lost) ? '#rest' : '#list [data-id][tabindex="0"], #list, #page';
    const found = [...document.querySelectorAll<HTMLElement>(wanted)];
    (found.find((one) => one.matches('[data-id]')) ?? found[0])?.focus({ preventScroll: true });
  };
  const observer = new MutationObserver(recover);
  observer.observe(document.body, { childList: true, subtree: true });
  document.addEventListener('focusin', came);
  document.addEventListener('pointerdown', pressed, true);
  return () => {
    observer.disconnect();
    document.removeEventListener('focusin', came);
    document.removeEventListener('pointerdown', pressed, true);
  };
}
