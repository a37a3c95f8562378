/** German wording for colleagues: digests, why mail was held, answers to replies. */
export const de = {
  held: {
    'authentication-fail': 'Zurückgehalten, weil sie die Prüfungen nicht besteht, die der Absender verlangt.',
    'authentication-none': 'Zurückgehalten, weil nicht nachgewiesen ist, wer sie geschickt hat.',
    'authentication-error': 'Zurückgehalten, weil der Absender nicht geprüft werden konnte.',
    'own-domain-fail': 'Zurückgehalten, weil sie vorgibt, von uns zu kommen.',
    'first-from-address': 'Zurückgehalten, weil der Absender neu für uns ist.',
    'new-and-odd':
      'Zurückgehalten, weil der Absender neu für uns ist, nichts beweist und etwas an der Nachricht ungewöhnlich ist.',
    'first-from-domain': 'Zurückgehalten, weil der Absender neu für uns ist.',
    'sender-ruled-junk': 'Zurückgehalten, weil frühere E-Mails dieses Absenders Spam waren.',
    'words-junk': 'Zurückgehalten, weil die Wortwahl nach Spam klingt.',
    'link-differs': 'Zurückgehalten, weil ein Link eine andere Adresse zeigt, als er öffnet.',
    'link-numeric-host':
      'Zurückgehalten, weil ein Link zu einer Zahlenadresse (IP) statt zu einem Namen führt.',
    'link-punycode': 'Zurückgehalten wegen eines getarnten Links.',
    'link-file-host': 'Zurückgehalten, weil ein Link zu einem Dateiablage-Dienst führt.',
    'link-shortened': 'Zurückgehalten, weil ein Link verbirgt, wohin er führt.',
    'link-lookalike': 'Zurückgehalten, weil ein Link zur Nachahmung einer bekannten Seite führt.',
    'lookalike-own': 'Zurückgehalten, weil die Domain des Absenders unsere nachahmt.',
    'lookalike-known': 'Zurückgehalten, weil die Domain des Absenders eine bekannte nachahmt.',
    'several-senders': 'Zurückgehalten, weil sie mehrere Absender nennt.',
    'odd-headers': 'Zurückgehalten, weil sie ungewöhnlich aufgebaut ist.',
    'crowded-to': 'Zurückgehalten, weil sie an sehr viele Empfänger gerichtet ist.',
    'attachment-unreadable-archive': 'Zurückgehalten, weil ein angehängtes Archiv nicht geprüft werden kann.',
    'attachment-lies': 'Zurückgehalten, weil ein Anhang etwas anderes ist, als er vorgibt.',
    'link-elsewhere': 'Zurückgehalten, weil ein Link nicht zum Absender führt.',
    'many-links': 'Zurückgehalten wegen der vielen Links.',
    'hidden-text': 'Zurückgehalten, weil sie verborgenen Text enthält.',
    'imitates-colleague':
      'Zurückgehalten, weil sie den Namen einer Person aus unserer Organisation verwendet.',
    'reply-to-elsewhere': 'Zurückgehalten, weil Antworten an eine andere Adresse gingen.',
    'no-message-id': 'Zurückgehalten, weil sie nicht regelgerecht aufgebaut ist.',
    'date-far-off': 'Zurückgehalten, weil ihr Datum um viele Tage falsch ist.',
    'no-from': 'Zurückgehalten, weil sie keinen Absender nennt.',
    'attachment-macro': 'Zurückgehalten, weil ein Anhang Makros enthält.',
    'attachment-encrypted-archive': 'Zurückgehalten, weil ein Anhang mit Passwort geschützt ist.',
    'attachment-archive': 'Zurückgehalten wegen eines angehängten Archivs.',
    bulk: 'Zurückgehalten, weil sie eine Massensendung ist.',
    'many-recipients': 'Zurückgehalten, weil sie an viele von uns zugleich ging.',
    'could-not-be-read': 'Zurückgehalten, weil sie nicht gelesen werden konnte.',
    harm: 'Zurückgehalten, weil sie schädlich ist.',
    'entry-blocked': 'Zurückgehalten, weil der Absender gesperrt ist.',
    'entry-safe': 'Zurückgehalten, obwohl der Absender als vertrauenswürdig gilt.',
    'mail-rule': 'Zurückgehalten wegen einer Ihrer eigenen Mailregeln.',
    'organisation-rule': 'Zurückgehalten wegen einer Mailregel Ihrer Organisation.',
  },
  act: {
    read: 'Sicher lesen',
    send: 'An mich schicken',
    'send-trust': 'Schicken und dem Absender vertrauen',
    refuse: 'Diesen Absender ablehnen',
  },
  /** The sender's name on mail of Pendro's own. */
  letter: { from: 'Zurückgehaltene E-Mails, {{organisation}}' },
  digest: {
    subject_zero: 'Für Sie zurückgehalten: nur fast sicherer Spam',
    subject_one: 'Für Sie zurückgehalten: {{count}} Nachricht',
    subject_other: 'Für Sie zurückgehalten: {{count}} Nachrichten',
    greeting: 'Guten Tag {{name}},',
    subjectEnding_one: 'Bald gelöscht: {{count}} für Sie zurückgehaltene Nachricht',
    subjectEnding_other: 'Bald gelöscht: {{count}} für Sie zurückgehaltene Nachrichten',
    ending_one:
      'von dieser Nachricht stand schon etwas in einer früheren Übersicht, und seitdem hat sie niemand angesehen. Sie könnte erwünscht sein und wird bald gelöscht.',
    ending_other:
      'von diesen Nachrichten stand schon etwas in früheren Übersichten, und seitdem hat sie niemand angesehen. Sie könnten erwünscht sein und werden bald gelöscht.',
    goesOn: 'Wird am {{date}} gelöscht.',
    intro_zero: 'es wurde nichts zurückgehalten, was erwünscht aussah.',
    intro_one:
      'diese Nachricht sah nach Spam aus und wurde deshalb zurückgehalten. Wenn Sie sie nicht brauchen, müssen Sie nichts tun.',
    intro_other:
      'diese Nachrichten sahen nach Spam aus und wurden deshalb zurückgehalten. Wenn Sie sie nicht brauchen, müssen Sie nichts tun.',
    leftOut_one:
      '{{count}} weitere Nachricht ist fast sicher Spam und hier nicht aufgeführt. Sie wird bis zum {{date}} aufbewahrt.',
    leftOut_other:
      '{{count}} weitere Nachrichten sind fast sicher Spam und hier nicht aufgeführt. Sie werden bis zum {{date}} aufbewahrt.',
    leftOutJunk_one:
      '{{count}} weitere Nachricht ist fast sicher Spam oder liegt im Spam-Ordner und ist hier nicht aufgeführt. Sie wird bis zum {{date}} aufbewahrt.',
    leftOutJunk_other:
      '{{count}} weitere Nachrichten sind fast sicher Spam oder liegen im Spam-Ordner und sind hier nicht aufgeführt. Sie werden bis zum {{date}} aufbewahrt.',
    any: 'Lesen oder entscheiden:',
    ownPage: 'Alles, was für Sie zurückgehalten wird, finden Sie jederzeit hier:',
    fresh:
      'Eine neue Übersicht bekommen Sie jederzeit, wenn Sie eine E-Mail mit dem Wort „Übersicht“ an diese Adresse schicken.',
    freshHere: 'Oder fordern Sie hier eine an:',
    note: 'Hinweis von Ihrem Helpdesk:',
    howToAsk:
      'Wenn Sie eine Nachricht möchten, antworten Sie auf diese E-Mail und löschen Sie die Nachrichten, die Sie nicht möchten: Jede Nachricht, deren Code in Ihrer Antwort stehen bleibt, wird an Sie geschickt. Der Code allein genügt auch.',
    help: 'Gesendet von Pendro für {{organisation}}.',
  },
  digestAnswer: {
    greeting: 'Guten Tag {{name}},',
    nothing:
      'Ihre Antwort enthält keinen der Codes, deshalb wurde nichts geschickt. Antworten Sie noch einmal auf die Übersicht und lassen Sie die gewünschten Nachrichten stehen, oder schicken Sie nur den Code.',
    released_zero: 'keine der genannten Nachrichten konnte Ihnen geschickt werden:',
    released_one: 'eine Nachricht ist zu Ihnen unterwegs.',
    released_other: '{{count}} Nachrichten sind zu Ihnen unterwegs.',
    fresh: {
      sent: 'eine neue Übersicht ist unterwegs.',
      nothing: 'im Moment wird nichts für Sie zurückgehalten.',
      'just-sent':
        'Sie haben vor wenigen Minuten eine Übersicht bekommen. Fragen Sie etwas später noch einmal.',
    },
    fate: {
      released: 'Wurde an Sie geschickt.',
      'released-before': 'Sie haben die Nachricht schon; sie wurde früher geschickt.',
      'on-its-way': 'Die Nachricht wurde schon angefordert und ist unterwegs.',
      discarded: 'Die Nachricht wurde verworfen. Ihr Helpdesk kann sie noch wiederherstellen.',
      gone: 'Die Nachricht wird nicht mehr aufbewahrt. Bitten Sie bei Bedarf den Absender, sie noch einmal zu schicken.',
      sealed: 'Die Nachricht enthält etwas Schädliches. Niemand kann sie freigeben.',
      unknown:
        'Keine Ihrer Nachrichten hat diesen Code. Vielleicht stammt er aus einer alten Übersicht oder aus der einer anderen Person.',
    },
    slip: '{{typed}} sieht aus wie ein Code mit einem Tippfehler. Dafür wurde nichts geschickt.',
    slipMeant:
      '{{typed}} sieht aus wie ein Code mit einem Tippfehler; deshalb wurde nichts geschickt. Wenn Sie {{meant}} meinten, antworten Sie mit {{meant}}.',
    help: 'Gesendet von Pendro für {{organisation}}.',
  },
  welcome: {
    subject: 'Für Sie zurückgehaltene E-Mails und wie Sie sie bekommen',
    greeting: 'Guten Tag {{name}},',
    text: 'Pendro hält für {{organisation}} E-Mails zurück, die nach Spam aussehen. Was für Sie zurückgehalten wurde, steht in einer Übersicht, die Sie per E-Mail bekommen. Sie können sich jede Nachricht daraus schicken lassen: mit einer Antwort oder über die Links.',
    secret:
      'Wenn Sie auf einem Gerät zum ersten Mal einen Link öffnen, melden Sie sich mit {{address}} und diesem Passwort an. Es ist nur für Sie bestimmt:\n\n    {{secret}}',
    how: 'Sie können ein anderes Passwort wählen, alles Zurückgehaltene sehen und festlegen, wann Übersichten kommen: {{url}}',
    never: 'Ihr Helpdesk wird Sie nie danach fragen.',
  },
  trial: {
    from: 'Pendro, ein Versuch',
    subject: 'Ein Versuch: der Weg Ihrer E-Mails',
    text: 'Ihr Helpdesk hat diese Nachricht geschickt, um zu sehen, welchen Weg E-Mails in Ihr Postfach nehmen. Sie müssen nichts tun.',
  },
  returned: {
    subject: 'Ihre Nachricht an {{recipient}} wurde nicht zugestellt',
    text: 'Ihre Nachricht konnte {{recipient}} nicht zugestellt werden. Dort hat sie niemand bekommen.',
    problem: 'Der andere Mailserver hat geantwortet: {{problem}}',
    what: 'Prüfen Sie die Adresse oder fragen Sie Ihren Helpdesk. Die Kopfzeilen Ihrer Nachricht sind angehängt.',
  },
  invitation: {
    subject: 'Einladung, mit Pendro zu arbeiten',
    greeting: 'Guten Tag {{name}},',
    text: '{{by}} lädt Sie ein, mit Pendro zu arbeiten, das E-Mails für {{organisation}} zurückhält. Sie melden sich als {{signIn}} an.',
    link: 'Dieser Link ist nur für Sie und gilt drei Tage:\n\n    {{url}}',
    never: 'Wenn Sie das nicht erwartet haben, fragen Sie {{by}}, bevor Sie ihm folgen.',
  },
  code: {
    subject: '{{secret}} ist Ihr Code',
    greeting: 'Guten Tag {{name}},',
    text: 'jemand, hoffentlich Sie selbst, möchte auf einem neuen Gerät die E-Mails sehen, die für {{address}} zurückgehalten werden.',
    secret_one: 'Der Code ist {{secret}}. Er gilt einmal, innerhalb von {{count}} Minute.',
    secret_other: 'Der Code ist {{secret}}. Er gilt einmal, innerhalb von {{count}} Minuten.',
    how: 'Wenn Sie es nicht waren, müssen Sie nichts tun: Ohne den Code kommt niemand hinein.',
    never: 'Ihr Helpdesk wird Sie nie danach fragen.',
  },
  standbyNotice: {
    text: 'Der Mailserver von {{organisation}} ist ausgefallen. Solange können Sie E-Mails hier lesen, beantworten und schreiben: {{link}} (der Link funktioniert einmal, {{count}} Stunden lang)',
  },
  enquiryLetter: {
    subject: 'Ihre Frage an den Helpdesk',
    greeting: 'Guten Tag {{name}},',
    from: '{{staffer}}, Helpdesk, {{organisation}}',
    asked: 'Sie haben gefragt: „{{words}}“',
    how: 'Sie können auf diese Mail antworten. Lesen und antworten können Sie auch hier: {{url}}',
  },
  account: {
    sender: 'diesem Absender',
    nothingCame: {
      plain:
        'In den letzten {{days}} Tagen hat keine Nachricht von {{from}} {{address}} erreicht. Wir haben in Ihrem Postfach nachgesehen, unter dem, was zurückgehalten oder abgewiesen wurde, und unter dem, was noch unterwegs ist. Bitte fragen Sie den Absender, an welche Adresse und wann er geschrieben hat und ob er eine Meldung bekommen hat, dass sie nicht zugestellt werden konnte. Lassen Sie sie sich dann bitte noch einmal schicken.',
      about:
        'In den letzten {{days}} Tagen hat keine Nachricht von {{from}} zu „{{about}}“ {{address}} erreicht. Wir haben in Ihrem Postfach nachgesehen, unter dem, was zurückgehalten oder abgewiesen wurde, und unter dem, was noch unterwegs ist. Bitte fragen Sie den Absender, an welche Adresse und wann er geschrieben hat und ob er eine Meldung bekommen hat, dass sie nicht zugestellt werden konnte. Lassen Sie sie sich dann bitte noch einmal schicken.',
    },
    waitForSender: {
      plain:
        'Bisher hat keine Nachricht von {{from}} {{address}} erreicht. Wir achten darauf: Sobald eine eintrifft, hören Sie von uns. Fragen Sie den Absender am besten, an welche Adresse und wann er geschrieben hat.',
      about:
        'Bisher hat keine Nachricht von {{from}} zu „{{about}}“ {{address}} erreicht. Wir achten darauf: Sobald eine eintrifft, hören Sie von uns. Fragen Sie den Absender am besten, an welche Adresse und wann er geschrieben hat.',
    },
    cameIn: 'Die Nachricht „{{subject}}“ von {{from}} kam am {{received}} bei uns an.',
    state: {
      inspecting: 'Ein Anhang wird noch geprüft. Danach geht die Nachricht sofort weiter.',
      inbox: 'Sie wurde in Ihren Posteingang zugestellt.',
      aside:
        'Sie wurde in Ihren Ordner für zur Seite gelegte E-Mails zugestellt, weil sie eine Massensendung ist.',
      junk: 'Sie sah nach Spam aus und kam in Ihren Spam-Ordner.',
      quarantined: 'Sie sah nach Spam aus und wird zurückgehalten; sie ist nicht in Ihrem Postfach.',
      sealed: 'Sie enthält etwas Schädliches. Niemand kann sie freigeben.',
      deferred: 'Sie ist unterwegs. Ihr Postfach konnte sie noch nicht annehmen; wir versuchen es weiter.',
      bounced: 'Ihr Postfach hat sie nicht angenommen: {{problem}}',
      released: 'Sie wurde zuerst zurückgehalten und ging am {{time}} in Ihren Posteingang.',
      discarded: 'Sie wurde zurückgehalten und verworfen. Wir können sie noch wiederherstellen.',
      discardedByRule: 'Ihre Mailregel „{{rule}}“ hat sie verworfen. Wir können sie noch wiederherstellen.',
      expired:
        'Sie wurde zurückgehalten und wird nicht mehr aufbewahrt. Bitten Sie bei Bedarf den Absender, sie noch einmal zu schicken.',
      moved: 'Ihre Mailregel „{{rule}}“ hat sie in den Ordner „{{folder}}“ verschoben.',
    },
    store: {
      'moved-by-program':
        'Ein Mailprogramm hat sie in den Ordner „{{folder}}“ verschoben ({{time}}). Dort ist sie jetzt.',
      'moved-by-programInbox':
        'Ein Mailprogramm hat sie in Ihren Posteingang verschoben ({{time}}). Dort ist sie jetzt.',
      'moved-by-desk': 'Wir haben sie in den Ordner „{{folder}}“ verschoben ({{time}}).',
      'moved-by-deskInbox': 'Wir haben sie in Ihren Posteingang verschoben ({{time}}).',
      'found-in': 'Sie ist im Ordner „{{folder}}“ Ihres Postfachs.',
      'found-inInbox': 'Sie ist in Ihrem Posteingang.',
      'gone-from-store':
        'Sie wurde in Ihr Postfach zugestellt und ist nicht mehr dort; ein Mailprogramm hat sie entfernt. Von dort können wir sie nicht zurückholen.',
      unread: 'Niemand hat sie bisher geöffnet.',
    },
    unfetched: 'Ihr E-Mail-Programm ruft diesen Ordner nicht ab, deshalb sehen Sie sie dort nicht.',
    digest: 'Sie wird in Ihrer nächsten Übersicht stehen ({{time}}).',
    until: 'Sie wird bis {{until}} aufbewahrt.',
  },
} as const
