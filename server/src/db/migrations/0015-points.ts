/**
 * Where the evidence about a delivery points (core/delivery/stance.ts), kept with it so that the list, the sentence and the
 * server say the same. What came before is told from the path and the evidence that are kept with it, in the same order as there.
 */
const found = (name: string) => `JSON_SEARCH(j.evidence, 'one', '${name}', NULL, '$[*].finding') IS NOT NULL`
const decidedBy = (stage: string) => `JSON_CONTAINS(j.path, '{"stage":"${stage}","outcome":"decided"}')`
const verdict = (name: string) => `JSON_CONTAINS(j.path, '{"stage":"score","facts":{"verdict":"${name}"}}')`

export const statements: readonly string[] = [
  `ALTER TABLE deliveries ADD COLUMN IF NOT EXISTS points ENUM('wanted','doubt','against') NOT NULL DEFAULT 'doubt'`,
  `UPDATE deliveries d JOIN delivery_judgements j ON j.delivery_id = d.id SET d.points = CASE
     WHEN ${decidedBy('harm')} OR ${found('own-domain-fail')} OR ${found('link-lookalike')} OR ${found('lookalike-own')}
       OR (${found('lookalike-known')} AND (${found('link-elsewhere')} OR ${found('link-differs')} OR ${found('reply-to-elsewhere')}))
       OR ${verdict('near-certain')} THEN 'against'
     WHEN ${verdict('unreadable')} OR ${decidedBy('binding')} OR ${decidedBy('personal')} OR ${decidedBy('organisation')} THEN 'doubt'
     WHEN d.score < 50 THEN 'wanted'
     ELSE 'doubt' END`,
  // A request that was made by a ruling goes when the ruling is undone.
  'ALTER TABLE entry_requests ADD COLUMN IF NOT EXISTS asked_ruling_id INT UNSIGNED NULL, ADD KEY IF NOT EXISTS k_asked (asked_ruling_id)',
]
