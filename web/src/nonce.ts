/**
 * Gives every style that components bring along the number that the content policy of the page allows.
 * It is the first import of the page, before anything can make a style.
 */
const nonce = document.querySelector<HTMLMetaElement>('meta[name="csp-nonce"]')?.content ?? "";
const create = document.createElement.bind(document);

document.createElement = ((name: string, options?: ElementCreationOptions) => {
  const element = create(name, options);
  if (name.toLowerCase() === "style" && nonce) element.setAttribute("nonce", nonce);
  return element;
}) as typeof document.createElement;
