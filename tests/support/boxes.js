// What is cut off or covered on the present page, as short texts; empty when all of it can be read and reached.
() => {
  const faults = [];
  const name = (one) =>
    `${one.tagName.toLowerCase()} "${(one.getAttribute("aria-label") || one.innerText || one.value || "").trim().slice(0, 40)}"`;
  const seen = (one) => {
    const box = one.getBoundingClientRect();
    return box.width > 0 && box.height > 0 && getComputedStyle(one).visibility === "visible" && !one.closest(".sr-only, details:not([open]) > :not(summary)");
  };
  const all = [...document.querySelectorAll("button, a, input, textarea, select, h1, h2, h3, label, summary, p, dd, dt, th, td, figcaption")]
    .filter((one) => seen(one) && !one.closest("[aria-hidden='true']") && !(one.tagName === "A" && one.href.endsWith("#main")));
  const scrolls = (style, axis) => /auto|scroll/.test(style[`overflow${axis}`]);
  for (const one of all) {
    const box = one.getBoundingClientRect();
    if (box.right > innerWidth + 1.5 || box.left < -1.5) faults.push(`${name(one)} lies beyond the window's side`);
    for (let above = one.parentElement; above; above = above.parentElement) {
      const style = getComputedStyle(above);
      const frame = above.getBoundingClientRect();
      const clips = style.overflowX !== "visible";
      if (clips && (box.right > frame.right + 1.5 || box.left < frame.left - 1.5) && !above.classList.contains("truncate"))
        faults.push(`${name(one)} is cut off at the side of ${above.getAttribute("aria-label") || above.tagName}`);
      if (scrolls(style, "Y")) break;
      if (style.overflowY !== "visible" && box.bottom > frame.bottom + 1.5 && !above.classList.contains("truncate"))
        faults.push(`${name(one)} is cut off at the foot of ${above.getAttribute("aria-label") || above.tagName}`);
    }
  }
  const hit = all.filter((one) => one.matches("button, a, input, textarea, select, summary") && !one.closest("[data-rung]"));
  for (const [i, one] of hit.entries()) {
    const a = one.getBoundingClientRect();
    const label = one.matches("input[type=checkbox]") ? one.closest("label").getBoundingClientRect() : a;
    const spread = getComputedStyle(one, "::after").position === "absolute"; // over its whole row
    if (!spread && (label.height < 23.5 || label.width < 23.5)) faults.push(`${name(one)} is too small to hit`);
    for (const other of hit.slice(i + 1)) {
      if (one.contains(other) || other.contains(one)) continue;
      if (getComputedStyle(one).position === "sticky" || one.closest("[data-over]") || other.closest("[data-over]")) continue;
      const b = other.getBoundingClientRect();
      const across = Math.min(a.right, b.right) - Math.max(a.left, b.left);
      const down = Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top);
      if (across > 2 && down > 2 && !scrolledApart(one, other)) faults.push(`${name(one)} and ${name(other)} overlap`);
    }
  }
  // Of two in different scrolling parts, one may lie behind the other's edge.
  function scrolledApart(one, other) {
    const part = (of) => {
      for (let above = of.parentElement; above; above = above.parentElement)
        if (scrolls(getComputedStyle(above), "Y")) return above;
      return null;
    };
    const sticky = (of) => {
      for (let above = of; above; above = above.parentElement)
        if (getComputedStyle(above).position === "sticky") return true;
      return false;
    };
    return part(one) !== part(other) || sticky(one) !== sticky(other);
  }
  if (document.scrollingElement.scrollWidth > innerWidth + 1) faults.push("the page is wider than the window");
  return [...new Set(faults)];
}
