// The browser's Back closes what is laid over a page, instead of leaving the page.

let opened = 0;

/** Has Back call leave, until the function that it gives is called. leave says whether it
 * closed; where it did not, Back is caught again. */
export function backCloses(leave: () => boolean): () => void {
  const mark = { sheet: ++opened };
  const ours = () => (history.state as { sheet?: number } | null)?.sheet === mark.sheet;
  const push = () => history.pushState({ ...(history.state as object | null), ...mark }, '');
  let gone = false;
  const back = () => {
    if (ours() || gone) return;
    if (leave()) gone = true;
    else push();
  };
  push();
  addEventListener('popstate', back);
  return () => {
    removeEventListener('popstate', back);
    // Closed in another way: the entry that caught Back goes. Where another page was opened
    // meanwhile it stays behind it.
    if (!gone && ours()) history.back();
  };
}

/** Waits until what closed has taken its entry out of the history. */
export function settled(): Promise<void> {
  return new Promise((resolve) => {
    const done = () => {
      removeEventListener('popstate', done);
      clearTimeout(late);
      resolve();
    };
    const late = setTimeout(done, 200);
    addEventListener('popstate', done);
  });
}
