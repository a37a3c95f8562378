/** Norwegian wording for colleagues: digests, why mail was held, answers to replies. */
export const nb = {
  held: {
    'authentication-fail': 'Holdt tilbake fordi den ikke består kontrollene avsenderen ber om.',
    'authentication-none': 'Holdt tilbake fordi det ikke er bekreftet hvem som sendte den.',
    'authentication-error': 'Holdt tilbake fordi avsenderen ikke kunne kontrolleres.',
    'own-domain-fail': 'Holdt tilbake fordi den gir seg ut for å være fra oss.',
    'first-from-address': 'Holdt tilbake fordi avsenderen er ny for oss.',
    'new-and-odd':
      'Holdt tilbake fordi avsenderen er ny for oss, ikke beviser noe, og noe ved meldingen er uvanlig.',
    'first-from-domain': 'Holdt tilbake fordi avsenderen er ny for oss.',
    'sender-ruled-junk': 'Holdt tilbake fordi tidligere e-post fra avsenderen var søppelpost.',
    'words-junk': 'Holdt tilbake fordi ordene i den er typiske for søppelpost.',
    'link-differs': 'Holdt tilbake fordi en lenke viser én adresse, men går til en annen.',
    'link-numeric-host': 'Holdt tilbake fordi en lenke går til en talladresse (IP) i stedet for et navn.',
    'link-punycode': 'Holdt tilbake på grunn av en forkledd lenke.',
    'link-file-host': 'Holdt tilbake fordi en lenke går til en fildelingstjeneste.',
    'link-shortened': 'Holdt tilbake fordi en lenke skjuler hvor den går.',
    'link-lookalike': 'Holdt tilbake fordi en lenke går til en etterligning av et kjent nettsted.',
    'lookalike-own': 'Holdt tilbake fordi avsenderens domene etterligner vårt.',
    'lookalike-known': 'Holdt tilbake fordi avsenderens domene etterligner et kjent domene.',
    'several-senders': 'Holdt tilbake fordi den oppgir flere avsendere.',
    'odd-headers': 'Holdt tilbake fordi den er uvanlig bygd opp.',
    'crowded-to': 'Holdt tilbake fordi den er adressert til svært mange.',
    'attachment-unreadable-archive': 'Holdt tilbake fordi et vedlagt arkiv ikke kan kontrolleres.',
    'attachment-lies': 'Holdt tilbake fordi et vedlegg er noe annet enn navnet sier.',
    'link-elsewhere': 'Holdt tilbake fordi en lenke ikke går til avsenderen.',
    'many-links': 'Holdt tilbake på grunn av de mange lenkene.',
    'hidden-text': 'Holdt tilbake fordi den inneholder skjult tekst.',
    'imitates-colleague': 'Holdt tilbake fordi den bruker en kollegas navn.',
    'reply-to-elsewhere': 'Holdt tilbake fordi svar ville gå et annet sted.',
    'no-message-id': 'Holdt tilbake fordi den mangler noe all e-post skal ha.',
    'date-far-off': 'Holdt tilbake fordi datoen er mange dager feil.',
    'no-from': 'Holdt tilbake fordi den ikke oppgir noen avsender.',
    'attachment-macro': 'Holdt tilbake fordi et vedlegg inneholder makroer.',
    'attachment-encrypted-archive': 'Holdt tilbake fordi et vedlegg er passordbeskyttet.',
    'attachment-archive': 'Holdt tilbake på grunn av et vedlagt arkiv.',
    bulk: 'Holdt tilbake fordi den er masseutsendt.',
    'many-recipients': 'Holdt tilbake fordi den gikk til mange av oss på en gang.',
    'could-not-be-read': 'Holdt tilbake fordi den ikke kunne leses.',
    harm: 'Holdt tilbake fordi den er skadelig.',
    'entry-blocked': 'Holdt tilbake fordi avsenderen er blokkert.',
    'entry-safe': 'Holdt tilbake selv om avsenderen er trygg.',
    'mail-rule': 'Holdt tilbake på grunn av en av dine egne e-postregler.',
    'organisation-rule': 'Holdt tilbake på grunn av en e-postregel i organisasjonen din.',
  },
  act: {
    read: 'Les den trygt',
    send: 'Send den til meg',
    'send-trust': 'Send den, og stol på avsenderen',
    refuse: 'Avvis avsenderen',
  },
  /** The sender's name on mail of Pendro's own. */
  letter: { from: 'Tilbakeholdt e-post, {{organisation}}' },
  digest: {
    subject_zero: 'Holdt tilbake for deg: bare det som nesten helt sikkert er søppelpost',
    subject_one: 'Holdt tilbake for deg: {{count}} melding',
    subject_other: 'Holdt tilbake for deg: {{count}} meldinger',
    greeting: 'Hei, {{name}}!',
    subjectEnding_one: 'Forsvinner snart: {{count}} melding holdt tilbake for deg',
    subjectEnding_other: 'Forsvinner snart: {{count}} meldinger holdt tilbake for deg',
    ending_one:
      'En tidligere oversikt fortalte om denne meldingen, og ingen har sett på den siden. Den kan være ønsket, og den forsvinner snart.',
    ending_other:
      'Tidligere oversikter fortalte om disse meldingene, og ingen har sett på dem siden. De kan være ønsket, og de forsvinner snart.',
    goesOn: 'Forsvinner {{date}}.',
    intro_zero: 'Ingenting som så ønsket ut, ble holdt tilbake.',
    intro_one:
      'Denne meldingen så ut som søppelpost, så den ble holdt tilbake. Hvis du ikke vil ha den, trenger du ikke gjøre noe.',
    intro_other:
      'Disse meldingene så ut som søppelpost, så de ble holdt tilbake. Hvis du ikke vil ha dem, trenger du ikke gjøre noe.',
    leftOut_one:
      '{{count}} melding til er nesten helt sikkert søppelpost og vises ikke her. Den lagres til {{date}}.',
    leftOut_other:
      '{{count}} meldinger til er nesten helt sikkert søppelpost og vises ikke her. De lagres til {{date}}.',
    leftOutJunk_one:
      '{{count}} melding til er nesten helt sikkert søppelpost eller ligger i søppelpostmappen, og vises ikke her. Den lagres til {{date}}.',
    leftOutJunk_other:
      '{{count}} meldinger til er nesten helt sikkert søppelpost eller ligger i søppelpostmappen, og vises ikke her. De lagres til {{date}}.',
    any: 'Les den, eller bestem:',
    ownPage: 'Se når som helst alt som er holdt tilbake for deg:',
    fresh: 'Vil du ha en ny oversikt, send en e-post med ordet «oversikt» til denne adressen.',
    freshHere: 'Eller be om en her:',
    note: 'Beskjed fra brukerstøtten:',
    howToAsk:
      'Vil du ha en melding, svarer du på denne e-posten og sletter meldingene du ikke vil ha: Alle meldinger som fortsatt står med koden i svaret, blir sendt til deg. Du kan også svare med bare koden.',
    help: 'Sendt av Pendro for {{organisation}}.',
  },
  digestAnswer: {
    greeting: 'Hei, {{name}}!',
    nothing:
      'Svaret ditt inneholder ingen av kodene, så ingenting ble sendt. Svar på oversikten en gang til og la meldingene du vil ha, bli stående, eller send bare koden.',
    released_zero: 'Ingen av meldingene du ba om, kunne sendes til deg:',
    released_one: 'Én melding er på vei til deg.',
    released_other: '{{count}} meldinger er på vei til deg.',
    fresh: {
      sent: 'En ny oversikt er på vei.',
      nothing: 'Akkurat nå er ingenting holdt tilbake for deg.',
      'just-sent': 'Du fikk en oversikt for noen minutter siden. Spør igjen om litt.',
    },
    fate: {
      released: 'Sendt til deg.',
      'released-before': 'Du har den allerede: den ble sendt tidligere.',
      'on-its-way': 'Noen har allerede bedt om den, og den er på vei.',
      discarded: 'Den er forkastet. Brukerstøtten kan fortsatt gjenopprette den.',
      gone: 'Den er ikke lenger lagret. Trenger du den, kan du be avsenderen sende den på nytt.',
      sealed: 'Den inneholder noe skadelig. Ingen kan frigi den.',
      unknown:
        'Ingen av meldingene dine har denne koden. Den kan være fra en gammel oversikt eller fra en annen persons oversikt.',
    },
    slip: '{{typed}} ser ut som en feilskrevet kode. Ingenting ble sendt.',
    slipMeant:
      '{{typed}} ser ut som en feilskrevet kode, så ingenting ble sendt. Mente du {{meant}}, svar med {{meant}}.',
    help: 'Sendt av Pendro for {{organisation}}.',
  },
  welcome: {
    subject: 'E-post som er holdt tilbake for deg, og hvordan du får den',
    greeting: 'Hei, {{name}}!',
    text: 'Pendro holder tilbake e-post for {{organisation}} som ser ut som søppelpost. Du får en oversikt over det som er holdt tilbake for deg. Derfra kan du få tilsendt hvilken som helst melding, ved å svare eller med lenkene.',
    secret:
      'Første gang du åpner en lenke på en enhet, logger du inn med {{address}} og dette passordet. Det er bare for deg:\n\n    {{secret}}',
    how: 'Du kan velge et annet passord, se alt som er holdt tilbake, og bestemme når oversikter kommer: {{url}}',
    never: 'Brukerstøtten vil aldri be deg om det.',
  },
  trial: {
    from: 'Pendro, en prøve',
    subject: 'En prøve på veien e-posten din tar',
    text: 'Brukerstøtten har sendt dette for å se hvilken vei e-post tar til postboksen din. Du trenger ikke å gjøre noe.',
  },
  returned: {
    subject: 'Meldingen din til {{recipient}} ble ikke levert',
    text: 'Meldingen din kunne ikke leveres til {{recipient}}. Ingen der har fått den.',
    problem: 'Dette svarte den andre e-posttjeneren: {{problem}}',
    what: 'Kontroller adressen, eller spør brukerstøtten. Hodet i meldingen din er lagt ved.',
  },
  invitation: {
    subject: 'Du er invitert til å arbeide med Pendro',
    greeting: 'Hei {{name}},',
    text: '{{by}} inviterer deg til å arbeide med Pendro, som holder tilbake e-post for {{organisation}}. Du logger inn som {{signIn}}.',
    link: 'Denne lenken er bare din og gjelder i tre dager:\n\n    {{url}}',
    never: 'Ventet du ikke på dette, spør {{by}} før du følger den.',
  },
  code: {
    subject: '{{secret}} er koden din',
    greeting: 'Hei, {{name}}!',
    text: 'Noen, forhåpentligvis du, vil se e-posten som er holdt tilbake for {{address}}, på en ny enhet.',
    secret_one: 'Koden er {{secret}}. Den virker én gang, innen {{count}} minutt.',
    secret_other: 'Koden er {{secret}}. Den virker én gang, innen {{count}} minutter.',
    how: 'Var det ikke deg, trenger du ikke gjøre noe: uten koden kommer ingen inn.',
    never: 'Brukerstøtten vil aldri be deg om den.',
  },
  standbyNotice: {
    text: 'E-postserveren til {{organisation}} er nede. Imens kan du lese, svare på og skrive e-post her: {{link}} (lenken virker én gang, i {{count}} timer)',
  },
  enquiryLetter: {
    subject: 'Spørsmålet ditt til brukerstøtten',
    greeting: 'Hei, {{name}}!',
    from: '{{staffer}}, brukerstøtten, {{organisation}}',
    asked: 'Du spurte: «{{words}}»',
    how: 'Du kan svare på denne e-posten. Du kan også lese og svare her: {{url}}',
  },
  account: {
    sender: 'denne avsenderen',
    nothingCame: {
      plain:
        'Ingen melding fra {{from}} har nådd {{address}} de siste {{days}} dagene. Vi har sett etter i postkassen din, i det som er holdt tilbake eller avvist, og i det som fortsatt er underveis. Spør avsenderen hvilken adresse den ble sendt til og når, og om det kom melding om at den ikke kunne leveres. Be så om å få den sendt på nytt.',
      about:
        'Ingen melding fra {{from}} om «{{about}}» har nådd {{address}} de siste {{days}} dagene. Vi har sett etter i postkassen din, i det som er holdt tilbake eller avvist, og i det som fortsatt er underveis. Spør avsenderen hvilken adresse den ble sendt til og når, og om det kom melding om at den ikke kunne leveres. Be så om å få den sendt på nytt.',
    },
    waitForSender: {
      plain:
        'Foreløpig har ingen melding fra {{from}} nådd {{address}}. Vi følger med: så snart en kommer inn, hører du fra oss. Spør gjerne avsenderen hvilken adresse den ble sendt til og når.',
      about:
        'Foreløpig har ingen melding fra {{from}} om «{{about}}» nådd {{address}}. Vi følger med: så snart en kommer inn, hører du fra oss. Spør gjerne avsenderen hvilken adresse den ble sendt til og når.',
    },
    cameIn: 'Meldingen «{{subject}}» fra {{from}} kom {{received}}.',
    state: {
      inspecting: 'Et vedlegg kontrolleres fortsatt. Meldingen går videre så snart det er gjort.',
      inbox: 'Den ble levert til innboksen din.',
      aside: 'Den ble lagt i mappen for e-post som er lagt til side, fordi den er masseutsendt.',
      junk: 'Den så ut som søppelpost og ble lagt i søppelpostmappen din.',
      quarantined: 'Den så ut som søppelpost og er holdt tilbake; den er ikke i postkassen din.',
      sealed: 'Den inneholder noe skadelig. Ingen kan frigi den.',
      deferred: 'Den er på vei. Postkassen din kunne ikke ta imot den ennå; vi fortsetter å prøve.',
      bounced: 'Postkassen din tok ikke imot den: {{problem}}',
      released: 'Den ble først holdt tilbake, og gikk til innboksen din {{time}}.',
      discarded: 'Den ble holdt tilbake og er forkastet. Vi kan fortsatt gjenopprette den.',
      discardedByRule: 'E-postregelen din «{{rule}}» forkastet den. Vi kan fortsatt gjenopprette den.',
      expired:
        'Den ble holdt tilbake og er ikke lenger lagret. Trenger du den, kan du be avsenderen sende den på nytt.',
      moved: 'E-postregelen din «{{rule}}» flyttet den til mappen «{{folder}}».',
    },
    store: {
      'moved-by-program': 'Et e-postprogram flyttet den til mappen «{{folder}}»: {{time}}. Der er den nå.',
      'moved-by-programInbox': 'Et e-postprogram flyttet den til innboksen din: {{time}}. Der er den nå.',
      'moved-by-desk': 'Vi flyttet den til mappen «{{folder}}»: {{time}}.',
      'moved-by-deskInbox': 'Vi flyttet den til innboksen din: {{time}}.',
      'found-in': 'Den ligger i mappen «{{folder}}» i postkassen din.',
      'found-inInbox': 'Den ligger i innboksen din.',
      'gone-from-store':
        'Den ble levert til postkassen din og er ikke lenger der; et e-postprogram har fjernet den. Vi kan ikke hente den tilbake derfra.',
      unread: 'Ingen har åpnet den ennå.',
    },
    unfetched: 'E-postprogrammet ditt henter ikke den mappen, så du ser den ikke der.',
    digest: 'Den kommer med i den neste oversikten din ({{time}}).',
    until: 'Den lagres til {{until}}.',
  },
} as const
