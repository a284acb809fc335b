/* The component library writes its styles into <style> elements. The content security policy lets
   in only those that carry this page's nonce, so every <style> made from here on gets it. */
const nonce = document.querySelector<HTMLMetaElement>('meta[name="style-nonce"]')?.content
if (nonce) {
  const create = document.createElement.bind(document)
  document.createElement = ((name: string, options?: ElementCreationOptions) => {
    const element = create(name, options)
    if (name.toLowerCase() === 'style') element.setAttribute('nonce', nonce)
    return element
  }) as typeof document.createElement
}
