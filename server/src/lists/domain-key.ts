/** Labels from the right, each closed by a dot: 'x.example' and all under it share the prefix 'example.x.'. */
export function domainKey(domain: string): string {
  return `${domain.split('.').reverse().join('.')}.`
}
