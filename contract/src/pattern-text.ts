import type { PatternProblem } from '@pendro/core/senders'

const accepted =
  'Accepted are an address (anna@x.example), a domain (x.example), a domain and everything under it (*.x.example), or a mailing list (<list-id>).'

/** What was wrong with a typed pattern, and what would do. */
export function patternProblemText(problem: PatternProblem): string {
  switch (problem.code) {
    case 'empty-pattern':
    case 'empty-domain':
      return `There is no domain in it. ${accepted}`
    case 'public-suffix':
      return `“${problem.domain}” is not one organisation's domain: unrelated senders live under it. Name the domain below it, such as x.${problem.domain}.`
    case 'ip-literal':
      return `“${problem.text}” is a network address; sender entries name domains. ${accepted}`
    case 'bad-domain':
      return `“${problem.text}” can't be a domain. ${accepted}`
    case 'no-at-sign':
    case 'empty-local':
    case 'bad-local':
      return `“${problem.text}” can't stand before the @ of an address. ${accepted}`
    case 'too-long':
      return `The part before the @ has ${problem.length} characters; at most ${problem.limit} fit.`
    case 'bad-list-id':
      return `“${problem.text}” is no mailing list id: between the angle brackets stands a name with dots, as in its List-Id header. ${accepted}`
    case 'star-inside':
      return `In “${problem.text}” the star stands where it can't: only *. in front of a domain is possible. ${accepted}`
  }
}
