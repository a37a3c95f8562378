export async function benchClassifier(): Promise<string> {
  return ''
}
