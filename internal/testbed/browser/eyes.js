// What a person sees of a page: words, and things that can be clicked by them.
var eyes = (() => {
  const plain = (s) => (s ?? '').replace(/\s+/g, ' ').trim();
  const name = (e) => plain(e.getAttribute('aria-label') ?? e.innerText);

  function visible(e) {
    const r = e.getBoundingClientRect();
    return r.width > 0 && r.height > 0 && getComputedStyle(e).visibility !== 'hidden';
  }

  // The middle of an element, for the click that it is meant for.
  function aim(e) {
    const at = middle(e);
    if (!at || !e.contains(document.elementFromPoint(at.X, at.Y))) return null;
    if (!window.aimed) {
      window.aimed = {};
      const meets = (ev) => window.aimed.at.contains(ev.target);
      addEventListener('pointerdown', (ev) => (window.aimed.down = meets(ev)), { capture: true });
      addEventListener('pointerup', (ev) => (window.aimed.met = window.aimed.down && meets(ev)), { capture: true });
    }
    Object.assign(window.aimed, { at: e, down: false, met: false });
    return at;
  }

  // The middle of an element, if that is where a click would meet it.
  function middle(e) {
    if (!e || !visible(e) || e.disabled) return null;
    e.scrollIntoView({ block: 'nearest', behavior: 'instant' });
    const r = e.getBoundingClientRect();
    const [x, y] = [r.x + r.width / 2, r.y + r.height / 2];
    const hit = document.elementFromPoint(x, y);
    return hit && (e.contains(hit) || hit.contains(e)) ? { X: x, Y: y } : null;
  }

  function fields(label) {
    const of = (l) => l.querySelector('input, textarea, select') ?? document.getElementById(l.htmlFor);
    const labels = [...document.querySelectorAll('label')].filter((l) => {
      const own = l.querySelector('.label');
      return plain((own ?? l).textContent) === label;
    });
    return [...labels.map(of), ...document.querySelectorAll(`[aria-label=${JSON.stringify(label)}]`)].filter((f) => f);
  }

  return {
    button(within, words) {
      for (const area of document.querySelectorAll(within)) {
        const all = [...area.querySelectorAll('a, button, [role=radio], [role=checkbox], label')];
        const found = all.filter((e) => visible(e) && (name(e) === words || plain(e.innerText) === words));
        for (const e of found) {
          const at = aim(e);
          if (at) return at;
        }
      }
      return null;
    },
    one: (selector) => aim(document.querySelector(selector)),
    // Whether the click came to what it was meant for; a page that it opened does not know.
    met: () => (window.aimed?.met === false ? 'no' : 'yes'),
    spot: (words) => [...document.querySelectorAll('h1, h2')].filter((e) => plain(e.innerText) === words).map(middle).find((m) => m) ?? null,
    field: (label) => fields(label).map(middle).find((m) => m) ?? null,
    // Whether the field has the focus; what is in it is marked then, to be typed over.
    begin(label) {
      const on = fields(label).includes(document.activeElement);
      if (on) document.activeElement.select?.();
      return on ? 'yes' : 'no';
    },
    select(label, value) {
      const f = fields(label).find((e) => visible(e) && e.tagName === 'SELECT');
      if (!f || ![...f.options].some((o) => o.value === value)) return null;
      f.value = value;
      f.dispatchEvent(new Event('change', { bubbles: true }));
      return true;
    },
    // Labels are drawn in capitals, so case is no matter.
    sees(within, words) {
      return [...document.querySelectorAll(within)].some((e) => plain(e.innerText).toLowerCase().includes(words.toLowerCase()));
    }
  };
})();
