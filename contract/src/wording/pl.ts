/** Polish wording for colleagues: digests, why mail was held, answers to replies. Polish has four plural forms. */
export const pl = {
  held: {
    'authentication-fail': 'Zatrzymana, bo nie przechodzi kontroli, których żąda jej nadawca.',
    'authentication-none': 'Zatrzymana, bo nic nie dowodzi, kto ją wysłał.',
    'authentication-error': 'Zatrzymana, bo nie udało się sprawdzić nadawcy.',
    'own-domain-fail': 'Zatrzymana, bo udaje, że pochodzi od nas.',
    'first-from-address': 'Zatrzymana, bo nadawca jest dla nas nowy.',
    'first-from-domain': 'Zatrzymana, bo nadawca jest dla nas nowy.',
    'sender-ruled-junk': 'Zatrzymana, bo wcześniejsza poczta tego nadawcy była niechciana.',
    'words-junk': 'Zatrzymana ze względu na użyte słowa.',
    'link-differs': 'Zatrzymana, bo odnośnik podaje jedno miejsce, a prowadzi do innego.',
    'link-numeric-host': 'Zatrzymana z powodu odnośnika do gołego adresu sieciowego.',
    'link-punycode': 'Zatrzymana z powodu zamaskowanego odnośnika.',
    'link-file-host': 'Zatrzymana, bo odnośnik prowadzi do serwisu z plikami.',
    'link-shortened': 'Zatrzymana, bo odnośnik ukrywa, dokąd prowadzi.',
    'link-lookalike': 'Zatrzymana, bo odnośnik prowadzi do strony udającej znaną.',
    'lookalike-own': 'Zatrzymana, bo domena nadawcy przypomina naszą, a nią nie jest.',
    'lookalike-known': 'Zatrzymana, bo domena nadawcy przypomina znaną, a nią nie jest.',
    'several-senders': 'Zatrzymana, bo podaje kilku nadawców.',
    'odd-headers': 'Zatrzymana, bo jest dziwnie zbudowana.',
    'crowded-to': 'Zatrzymana, bo skierowano ją do tłumu.',
    'attachment-unreadable-archive': 'Zatrzymana, bo do załączonego archiwum nie da się zajrzeć.',
    'attachment-lies': 'Zatrzymana, bo załącznik nie jest tym, za co się podaje.',
    'link-elsewhere': 'Zatrzymana, bo odnośnik prowadzi gdzie indziej niż do nadawcy.',
    'many-links': 'Zatrzymana z powodu wielu odnośników.',
    'hidden-text': 'Zatrzymana, bo zawiera ukryty tekst.',
    'imitates-colleague': 'Zatrzymana, bo używa nazwiska naszego pracownika.',
    'reply-to-elsewhere': 'Zatrzymana, bo odpowiedzi trafiłyby gdzie indziej.',
    'no-message-id': 'Zatrzymana, bo jest niewłaściwie zbudowana.',
    'date-far-off': 'Zatrzymana, bo jej data jest bardzo odległa.',
    'no-from': 'Zatrzymana, bo nie podaje nadawcy.',
    'attachment-macro': 'Zatrzymana, bo załącznik zawiera makra.',
    'attachment-encrypted-archive': 'Zatrzymana, bo załącznik jest zamknięty hasłem.',
    'attachment-archive': 'Zatrzymana z powodu załączonego archiwum.',
    bulk: 'Zatrzymana, bo jest wysyłką masową.',
    'many-recipients': 'Zatrzymana, bo trafiła do wielu z nas naraz.',
    'could-not-be-read': 'Zatrzymana, bo nie dało się jej odczytać.',
    harm: 'Zatrzymana, bo jest szkodliwa.',
    'entry-blocked': 'Zatrzymana, bo nadawca jest zablokowany.',
    'entry-safe': 'Zatrzymana, choć nadawca jest bezpieczny.',
  },
  act: {
    read: 'Przeczytaj bezpiecznie',
    send: 'Wyślij ją do mnie',
    'send-trust': 'Wyślij i zaufaj temu nadawcy',
    refuse: 'Odrzuć tego nadawcę',
  },
  digest: {
    subject_zero: 'Zatrzymano dla Ciebie: tylko prawie na pewno niechciane',
    subject_one: 'Zatrzymano dla Ciebie: {{count}} wiadomość',
    subject_few: 'Zatrzymano dla Ciebie: {{count}} wiadomości',
    subject_many: 'Zatrzymano dla Ciebie: {{count}} wiadomości',
    subject_other: 'Zatrzymano dla Ciebie: {{count}} wiadomości',
    greeting: 'Dzień dobry {{name}},',
    intro_zero: 'Nie zatrzymano niczego, co wyglądało na chciane.',
    intro_one:
      'ta wiadomość wyglądała na niechcianą, więc została zatrzymana. Jeśli jej nie chcesz, nie musisz nic robić.',
    intro_few:
      'te wiadomości wyglądały na niechciane, więc zostały zatrzymane. Jeśli ich nie chcesz, nie musisz nic robić.',
    intro_many:
      'te wiadomości wyglądały na niechciane, więc zostały zatrzymane. Jeśli ich nie chcesz, nie musisz nic robić.',
    intro_other:
      'te wiadomości wyglądały na niechciane, więc zostały zatrzymane. Jeśli ich nie chcesz, nie musisz nic robić.',
    leftOut_one: 'Jeszcze {{count}} jest prawie na pewno niechciana i nie ma jej tutaj. Zostaje do {{date}}.',
    leftOut_few: 'Jeszcze {{count}} są prawie na pewno niechciane i nie ma ich tutaj. Zostają do {{date}}.',
    leftOut_many:
      'Jeszcze {{count}} jest prawie na pewno niechcianych i nie ma ich tutaj. Zostają do {{date}}.',
    leftOut_other:
      'Jeszcze {{count}} jest prawie na pewno niechcianych i nie ma ich tutaj. Zostają do {{date}}.',
    leftOutJunk_one:
      'Jeszcze {{count}} jest prawie na pewno niechciana albo leży w folderze niechcianych i nie ma jej tutaj. Zostaje do {{date}}.',
    leftOutJunk_few:
      'Jeszcze {{count}} są prawie na pewno niechciane albo leżą w folderze niechcianych i nie ma ich tutaj. Zostają do {{date}}.',
    leftOutJunk_many:
      'Jeszcze {{count}} jest prawie na pewno niechcianych albo leży w folderze niechcianych i nie ma ich tutaj. Zostają do {{date}}.',
    leftOutJunk_other:
      'Jeszcze {{count}} jest prawie na pewno niechcianych albo leży w folderze niechcianych i nie ma ich tutaj. Zostają do {{date}}.',
    any: 'Przeczytaj lub zdecyduj:',
    ownPage: 'Wszystko, co dla Ciebie zatrzymano, o każdej porze:',
    note: 'Dział pomocy dodaje:',
    howToAsk:
      'Jeśli chcesz dostać wiadomość, odpowiedz na tę i usuń wiersze, których nie chcesz: to, co zostanie w odpowiedzi ze swoim kodem, zostanie do Ciebie wysłane. Wystarczy też sam kod.',
    help: 'Wysłane przez Pendro dla {{organisation}}.',
  },
  digestAnswer: {
    greeting: 'Dzień dobry {{name}},',
    nothing:
      'Twoja odpowiedź nie wymienia żadnej wiadomości jej kodem, więc nic nie wysłano. Odpowiedz jeszcze raz na zestawienie i zostaw wiersze, które chcesz, albo wyślij sam kod.',
    released_zero: 'żadnej z wymienionych wiadomości nie dało się wysłać:',
    released_one: 'jedna wiadomość jest w drodze do Ciebie.',
    released_few: '{{count}} wiadomości są w drodze do Ciebie.',
    released_many: '{{count}} wiadomości jest w drodze do Ciebie.',
    released_other: '{{count}} wiadomości jest w drodze do Ciebie.',
    fate: {
      released: 'Wysłana do Ciebie.',
      'released-before': 'Już ją masz: wysłano ją wcześniej.',
      'on-its-way': 'Już o nią poproszono i jest w drodze.',
      discarded: 'Została odrzucona. Dział pomocy może ją przywrócić, dopóki jest przechowywana.',
      gone: 'Już jej nie ma; przechowywano ją tak długo, jak się tu przechowuje.',
      sealed: 'Zawiera coś szkodliwego. Nikt nie może jej zwolnić.',
      unknown:
        'Żadna Twoja wiadomość nie ma tego kodu. Może pochodzić ze starego zestawienia albo z cudzego.',
    },
    slip: '{{typed}} wygląda na kod z literówką. Nic za niego nie wysłano.',
    slipMeant:
      '{{typed}} wygląda na kod z literówką; zapewne chodziło o {{meant}}. Nic za niego nie wysłano: odpowiedz {{meant}}, jeśli tak.',
    help: 'Wysłane przez Pendro dla {{organisation}}.',
  },
  welcome: {
    subject: 'Zatrzymana poczta i jak ją dostać',
    greeting: 'Dzień dobry {{name}},',
    text: 'Pendro zatrzymuje dla {{organisation}} pocztę, która wygląda na niechcianą. O tym, co zatrzymano dla Ciebie, mówi zestawienie. Z niego możesz dostać każdą wiadomość: odpowiadając na nie albo przez odnośniki.',
    secret:
      'Gdy pierwszy raz otworzysz odnośnik na jakimś urządzeniu, zaloguj się adresem {{address}} i tym hasłem, które jest tylko Twoje:\n\n    {{secret}}',
    how: 'Możesz wybrać inne, zobaczyć wszystko, co zatrzymano, i ustalić, kiedy przychodzą zestawienia: {{url}}',
    never: 'Nikt z działu pomocy nigdy o nie nie zapyta.',
  },
  code: {
    subject: '{{secret}} to Twój kod',
    greeting: 'Dzień dobry {{name}},',
    text: 'ktoś, miejmy nadzieję Ty, chce zobaczyć na nowym urządzeniu pocztę zatrzymaną dla {{address}}.',
    secret: 'Kod to {{secret}}. Jest ważny {{minutes}} minut i tylko raz.',
    how: 'Jeśli to nie Ty, nie musisz nic robić: bez kodu nikt nie wejdzie.',
    never: 'Nikt z działu pomocy nigdy o niego nie zapyta.',
  },
} as const
