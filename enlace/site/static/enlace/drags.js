// What drags by the mouse have in common.

/** A drag that ends now may end on a link or a button, which nobody pressed. */
export function noClick() {
  const swallow = (click) => {
    click.preventDefault();
    click.stopPropagation();
  };
  // Before those that have clicks wait: such a click would be made again on what stands there by then.
  window.addEventListener("click", swallow, { capture: true, once: true });
  setTimeout(() => window.removeEventListener("click", swallow, { capture: true }));
}
