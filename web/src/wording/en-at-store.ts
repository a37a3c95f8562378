/** English texts of mail rules and automatic replies at mail stores. */
export const enAtStore = {
  title: 'At the mail store',
  titleOf: 'At {{store}}',
  line: {
    kept: 'The mail store keeps them, too.',
    waiting: 'They are on their way to the mail store.',
    changed: 'At the mail store somebody has changed them.',
    'not-run': 'The mail store runs another script, and not these.',
    out: 'The mail store does not keep them.',
    trouble: 'They could not be put into the mail store.',
  },
  see: { kept: 'Show them there', other: 'See what that means' },
  what: 'What Pendro hands over is filed as Pendro says. For mail that reaches the store another way, such as between colleagues there, the store goes by these rules and sends the automatic reply.',
  state: {
    kept: 'The store has them as they are here, since {{time}}.',
    waiting: 'They are on their way there.',
    changed:
      'Somebody has changed Pendro’s scripts at the store, or put others of the same names there. Nothing is overwritten: changes you make here do not get there until you decide.',
    'not-run':
      'Pendro’s scripts are there, and the store runs “{{runs}}” instead. The rules and the automatic reply do not count there until you decide.',
    'not-runNone':
      'Pendro’s scripts are there, and the store runs no script at all. The rules and the automatic reply do not count there until you decide.',
    out: 'The store is set so that Pendro keeps nothing there. Its scripts have been taken out.',
    taking:
      'The store is set so that Pendro’s scripts are taken out. Somebody has changed these, so they stay.',
  },
  looked: 'Looked at {{time}}.',
  lookAgain: 'Look again',
  looking: 'Looking …',
  trouble: 'They could not be put there.',
  full: 'The mail store has no room for it: the script is too long, or there are too many. Ask whoever runs the store.',
  own: 'The colleague’s own script “{{own}}” is run after them. Pendro does not change it.',
  ownNext: 'The colleague’s own script “{{own}}” would be run after them. Pendro does not change it.',
  twice:
    'The automatic reply and the colleague’s own script “{{own}}” both answer mail. Whoever writes may get two answers; ask the colleague which one they want.',
  left_one:
    'One rule is not kept there, because a mail store can’t tell kinds of attachments apart: {{names}}.',
  left_other:
    '{{count}} rules are not kept there, because a mail store can’t tell kinds of attachments apart: {{names}}.',
  difference: 'The difference',
  differ: {
    there: 'At the store, and not in Pendro',
    here: 'In Pendro, and not at the store',
    left: 'At the store, and no rule in Pendro can say it',
    edited: 'This part of Pendro’s script was changed by hand: {{text}}',
    order: 'The rules stand in another order at the store.',
    none: 'The rules say the same. What differs is below.',
    unread: 'What is there can’t be read as rules. It is below, as it was written.',
    lines: 'Show it line by line',
  },
  legend: '− is at the store now, + is what Pendro would put there',
  script: 'Script “{{name}}”',
  gone: 'It is not there any more.',
  same: 'There is no difference in “{{name}}”.',
  show: 'Show the scripts',
  put: 'Replace them with Pendro’s',
  putRun: 'Run Pendro’s again, and “{{own}}” after it',
  putRunNone: 'Run Pendro’s again',
  took: 'Pendro’s scripts are at the store and run there.',
  take: 'Take theirs over as mail rules',
  undo: 'Bring back what was there before',
  undone: 'What was there before is back. Pendro’s scripts are not kept up to date now.',
} as const
