/** German wording for colleagues: digests, why mail was held, answers to replies. */
export const de = {
  held: {
    'authentication-fail': 'Zurückgehalten, weil sie die Prüfungen nicht besteht, die der Absender verlangt.',
    'authentication-none': 'Zurückgehalten, weil nichts beweist, wer sie geschickt hat.',
    'authentication-error': 'Zurückgehalten, weil der Absender nicht geprüft werden konnte.',
    'own-domain-fail': 'Zurückgehalten, weil sie vorgibt, von uns zu kommen.',
    'first-from-address': 'Zurückgehalten, weil der Absender neu für uns ist.',
    'first-from-domain': 'Zurückgehalten, weil der Absender neu für uns ist.',
    'sender-ruled-junk': 'Zurückgehalten, weil frühere Post dieses Absenders unerwünscht war.',
    'words-junk': 'Zurückgehalten wegen ihrer Wortwahl.',
    'link-differs': 'Zurückgehalten, weil ein Link einen Ort nennt und zu einem anderen führt.',
    'link-numeric-host': 'Zurückgehalten wegen eines Links zu einer nackten Netzadresse.',
    'link-punycode': 'Zurückgehalten wegen eines verkleideten Links.',
    'link-file-host': 'Zurückgehalten, weil ein Link zu einem Dateidienst führt.',
    'link-shortened': 'Zurückgehalten, weil ein Link verbirgt, wohin er führt.',
    'link-lookalike': 'Zurückgehalten, weil ein Link zu einem Doppelgänger einer bekannten Seite führt.',
    'lookalike-own': 'Zurückgehalten, weil die Domain des Absenders unserer ähnelt und es nicht ist.',
    'lookalike-known':
      'Zurückgehalten, weil die Domain des Absenders einer bekannten ähnelt und es nicht ist.',
    'several-senders': 'Zurückgehalten, weil sie mehrere Absender nennt.',
    'odd-headers': 'Zurückgehalten, weil sie seltsam gebaut ist.',
    'crowded-to': 'Zurückgehalten, weil sie an eine Menge gerichtet ist.',
    'attachment-unreadable-archive':
      'Zurückgehalten, weil sich in ein angehängtes Archiv nicht hineinsehen lässt.',
    'attachment-lies': 'Zurückgehalten, weil ein Anhang nicht ist, was er vorgibt.',
    'link-elsewhere': 'Zurückgehalten, weil ein Link vom Absender wegführt.',
    'many-links': 'Zurückgehalten wegen der vielen Links.',
    'hidden-text': 'Zurückgehalten, weil sie verborgenen Text enthält.',
    'imitates-colleague': 'Zurückgehalten, weil sie den Namen eines Kollegen benutzt.',
    'reply-to-elsewhere': 'Zurückgehalten, weil Antworten woandershin gingen.',
    'no-message-id': 'Zurückgehalten, weil sie nicht richtig gebaut ist.',
    'date-far-off': 'Zurückgehalten, weil ihr Datum weit daneben liegt.',
    'no-from': 'Zurückgehalten, weil sie keinen Absender nennt.',
    'attachment-macro': 'Zurückgehalten, weil ein Anhang Makros enthält.',
    'attachment-encrypted-archive': 'Zurückgehalten, weil ein Anhang verschlossen ist.',
    'attachment-archive': 'Zurückgehalten wegen eines angehängten Archivs.',
    bulk: 'Zurückgehalten, weil sie eine Massensendung ist.',
    'many-recipients': 'Zurückgehalten, weil sie an viele von uns zugleich ging.',
    'could-not-be-read': 'Zurückgehalten, weil sie nicht gelesen werden konnte.',
    harm: 'Zurückgehalten, weil sie schädlich ist.',
    'entry-blocked': 'Zurückgehalten, weil der Absender gesperrt ist.',
    'entry-safe': 'Zurückgehalten, obwohl der Absender als sicher gilt.',
    'mail-rule': 'Zurückgehalten, weil eine Ihrer eigenen Mailregeln es so will.',
  },
  act: {
    read: 'Sicher lesen',
    send: 'Schicken Sie sie mir',
    'send-trust': 'Schicken, und diesem Absender vertrauen',
    refuse: 'Diesen Absender ablehnen',
  },
  digest: {
    subject_zero: 'Für Sie zurückgehalten: nur fast sicher Unerwünschtes',
    subject_one: 'Für Sie zurückgehalten: {{count}} Nachricht',
    subject_other: 'Für Sie zurückgehalten: {{count}} Nachrichten',
    greeting: 'Guten Tag {{name}},',
    intro_zero: 'Es wurde nichts zurückgehalten, was erwünscht aussah.',
    intro_one:
      'diese Nachricht sah unerwünscht aus und wurde deshalb zurückgehalten. Wenn Sie sie nicht möchten, ist nichts zu tun.',
    intro_other:
      'diese Nachrichten sahen unerwünscht aus und wurden deshalb zurückgehalten. Wenn Sie sie nicht möchten, ist nichts zu tun.',
    leftOut_one:
      '{{count}} weitere ist fast sicher unerwünscht und hier nicht genannt. Sie bleibt bis {{date}}.',
    leftOut_other:
      '{{count}} weitere sind fast sicher unerwünscht und hier nicht genannt. Sie bleiben bis {{date}}.',
    leftOutJunk_one:
      '{{count}} weitere ist fast sicher unerwünscht oder liegt im Ordner für Unerwünschtes und ist hier nicht genannt. Sie bleibt bis {{date}}.',
    leftOutJunk_other:
      '{{count}} weitere sind fast sicher unerwünscht oder liegen im Ordner für Unerwünschtes und sind hier nicht genannt. Sie bleiben bis {{date}}.',
    any: 'Lesen oder entscheiden:',
    ownPage: 'Alles, was für Sie zurückgehalten wird, jederzeit:',
    note: 'Ihre Hilfestelle sagt:',
    howToAsk:
      'Wenn Sie eine Nachricht möchten, antworten Sie auf diese Mail und löschen Sie die Zeilen, die Sie nicht möchten: Was in Ihrer Antwort noch mit seinem Code steht, wird Ihnen geschickt. Der Code allein genügt auch.',
    help: 'Gesendet von Pendro für {{organisation}}.',
  },
  digestAnswer: {
    greeting: 'Guten Tag {{name}},',
    nothing:
      'Ihre Antwort nennt keine der Nachrichten mit ihrem Code, deshalb wurde nichts geschickt. Antworten Sie noch einmal auf die Übersicht und lassen Sie die gewünschten Zeilen stehen, oder schicken Sie nur den Code.',
    released_zero: 'keine der genannten Nachrichten konnte Ihnen geschickt werden:',
    released_one: 'eine Nachricht ist zu Ihnen unterwegs.',
    released_other: '{{count}} Nachrichten sind zu Ihnen unterwegs.',
    fate: {
      released: 'Wurde Ihnen geschickt.',
      'released-before': 'Sie haben sie schon: Sie wurde bereits geschickt.',
      'on-its-way': 'Sie wurde schon angefordert und ist unterwegs.',
      discarded: 'Sie wurde verworfen. Ihre Hilfestelle kann sie zurückholen, solange sie aufbewahrt wird.',
      gone: 'Sie ist nicht mehr da; sie wurde so lange aufbewahrt, wie es hier üblich ist.',
      sealed: 'Sie enthält etwas Schädliches. Niemand kann sie freigeben.',
      unknown:
        'Keine Ihrer Nachrichten hat diesen Code. Er kann aus einer alten Übersicht sein, oder aus der von jemand anderem.',
    },
    slip: '{{typed}} sieht aus wie ein Code mit einem Tippfehler. Dafür wurde nichts geschickt.',
    slipMeant:
      '{{typed}} sieht aus wie ein Code mit einem Tippfehler; vermutlich meinten Sie {{meant}}. Dafür wurde nichts geschickt: Antworten Sie mit {{meant}}, wenn es so ist.',
    help: 'Gesendet von Pendro für {{organisation}}.',
  },
  welcome: {
    subject: 'Für Sie zurückgehaltene Mail, und wie Sie sie bekommen',
    greeting: 'Guten Tag {{name}},',
    text: 'Pendro hält für {{organisation}} Mail zurück, die unerwünscht aussieht. Was für Sie zurückgehalten wurde, erfahren Sie in einer Übersicht. Von dort können Sie sich jede Nachricht schicken lassen: mit einer Antwort oder über die Links.',
    secret:
      'Wenn Sie auf einem Gerät zum ersten Mal einem Link folgen, melden Sie sich mit {{address}} und diesem Passwort an, das nur Ihnen gehört:\n\n    {{secret}}',
    how: 'Sie können ein anderes wählen, alles Zurückgehaltene sehen und festlegen, wann Übersichten kommen: {{url}}',
    never: 'Niemand von Ihrer Hilfestelle wird Sie je danach fragen.',
  },
  code: {
    subject: '{{secret}} ist Ihr Code',
    greeting: 'Guten Tag {{name}},',
    text: 'jemand, hoffentlich Sie, möchte auf einem neuen Gerät die Mail sehen, die für {{address}} zurückgehalten wird.',
    secret: 'Der Code ist {{secret}}. Er gilt {{minutes}} Minuten, und einmal.',
    how: 'Wenn Sie es nicht waren, ist nichts zu tun: Ohne den Code kommt niemand hinein.',
    never: 'Niemand von Ihrer Hilfestelle wird Sie je danach fragen.',
  },
  account: {
    cameIn: 'Die Nachricht „{{subject}}“ von {{from}} kam am {{received}}.',
    state: {
      inspecting: 'Ein Anhang wird noch untersucht; danach geht sie sofort weiter.',
      inbox: 'Sie wurde in Ihren Posteingang zugestellt.',
      aside: 'Sie wurde in Ihren Ordner für Beiseitegelegtes zugestellt, weil sie eine Massensendung ist.',
      junk: 'Sie sah unerwünscht aus und kam in Ihren Ordner für Unerwünschtes.',
      quarantined: 'Sie sah unerwünscht aus und wird zurückgehalten; sie ist nicht in Ihrem Postfach.',
      sealed: 'Sie enthält etwas Schädliches. Niemand kann sie freigeben.',
      deferred:
        'Sie ist unterwegs; Ihr Mailspeicher konnte sie noch nicht annehmen, und wir versuchen es weiter.',
      bounced: 'Ihr Mailspeicher hat sie abgewiesen: {{problem}}',
      released: 'Sie wurde zuerst zurückgehalten und ging am {{time}} in Ihren Posteingang.',
      discarded: 'Sie wurde zurückgehalten und verworfen. Wir können sie noch zurückholen.',
      expired:
        'Sie wurde zurückgehalten und ist inzwischen nicht mehr da; sie wurde so lange aufbewahrt, wie es hier üblich ist.',
      moved: 'Ihre Mailregel „{{rule}}“ hat sie in den Ordner „{{folder}}“ verschoben.',
    },
    digest: 'Ihre nächste Übersicht, {{time}}, würde sie nennen.',
    until: 'Sie wird bis {{until}} aufbewahrt.',
  },
} as const
