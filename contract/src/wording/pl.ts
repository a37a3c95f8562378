/** Polish wording for colleagues: digests, why mail was held, answers to replies. Polish has four plural forms. */
export const pl = {
  held: {
    'authentication-fail': 'Zatrzymana, bo nie przechodzi kontroli, których wymaga jej nadawca.',
    'authentication-none': 'Zatrzymana, bo nie potwierdzono, kto ją wysłał.',
    'authentication-error': 'Zatrzymana, bo nie udało się sprawdzić nadawcy.',
    'own-domain-fail': 'Zatrzymana, bo podszywa się pod naszą organizację.',
    'first-from-address': 'Zatrzymana, bo nadawca jest dla nas nowy.',
    'new-and-odd':
      'Zatrzymana, bo nadawca jest dla nas nowy, niczego nie dowodzi, a coś w wiadomości jest nietypowe.',
    'first-from-domain': 'Zatrzymana, bo nadawca jest dla nas nowy.',
    'sender-ruled-junk': 'Zatrzymana, bo wcześniejsza poczta od tego nadawcy była spamem.',
    'words-junk': 'Zatrzymana, bo jej słowa są typowe dla spamu.',
    'link-differs': 'Zatrzymana, bo link pokazuje inny adres niż ten, do którego prowadzi.',
    'link-numeric-host': 'Zatrzymana, bo link prowadzi do adresu liczbowego (IP) zamiast do nazwy.',
    'link-punycode': 'Zatrzymana z powodu zamaskowanego linku.',
    'link-file-host': 'Zatrzymana, bo link prowadzi do serwisu wymiany plików.',
    'link-shortened': 'Zatrzymana, bo link ukrywa, dokąd prowadzi.',
    'link-lookalike': 'Zatrzymana, bo link prowadzi do strony udającej inną, znaną.',
    'lookalike-own': 'Zatrzymana, bo domena nadawcy udaje naszą.',
    'lookalike-known': 'Zatrzymana, bo domena nadawcy udaje inną, znaną.',
    'several-senders': 'Zatrzymana, bo podaje kilku nadawców.',
    'odd-headers': 'Zatrzymana, bo ma nietypową budowę.',
    'crowded-to': 'Zatrzymana, bo ma bardzo wielu adresatów.',
    'attachment-unreadable-archive': 'Zatrzymana, bo załączonego archiwum nie da się sprawdzić.',
    'attachment-lies': 'Zatrzymana, bo załącznik jest czymś innym, niż podaje.',
    'link-elsewhere': 'Zatrzymana, bo link nie prowadzi do nadawcy.',
    'many-links': 'Zatrzymana, bo zawiera wiele linków.',
    'hidden-text': 'Zatrzymana, bo zawiera ukryty tekst.',
    'imitates-colleague': 'Zatrzymana, bo używa imienia i nazwiska osoby z naszej organizacji.',
    'reply-to-elsewhere': 'Zatrzymana, bo odpowiedzi trafiłyby na inny adres.',
    'no-message-id': 'Zatrzymana, bo brakuje w niej czegoś, co powinna mieć każda wiadomość.',
    'date-far-off': 'Zatrzymana, bo jej data jest błędna o wiele dni.',
    'no-from': 'Zatrzymana, bo nie podaje nadawcy.',
    'attachment-macro': 'Zatrzymana, bo załącznik zawiera makra.',
    'attachment-encrypted-archive': 'Zatrzymana, bo załącznik jest zabezpieczony hasłem.',
    'attachment-archive': 'Zatrzymana z powodu załączonego archiwum.',
    bulk: 'Zatrzymana, bo to wysyłka masowa.',
    'many-recipients': 'Zatrzymana, bo wysłano ją do wielu z nas naraz.',
    'could-not-be-read': 'Zatrzymana, bo nie dało się jej odczytać.',
    harm: 'Zatrzymana, bo jest szkodliwa.',
    'entry-blocked': 'Zatrzymana, bo nadawca jest zablokowany.',
    'entry-safe': 'Zatrzymana, choć nadawca jest zaufany.',
    'mail-rule': 'Zatrzymana przez jedną z Twoich własnych reguł poczty.',
    'organisation-rule': 'Zatrzymana przez regułę poczty Twojej organizacji.',
  },
  act: {
    read: 'Przeczytaj bezpiecznie',
    send: 'Wyślij do mnie',
    'send-trust': 'Wyślij i zaufaj temu nadawcy',
    refuse: 'Zablokuj tego nadawcę',
  },
  /** The sender's name on mail of Pendro's own. */
  letter: { from: 'Zatrzymana poczta, {{organisation}}' },
  digest: {
    subject_zero: 'Zatrzymane wiadomości: tylko prawie pewny spam',
    subject_one: 'Zatrzymano {{count}} wiadomość',
    subject_few: 'Zatrzymano {{count}} wiadomości',
    subject_many: 'Zatrzymano {{count}} wiadomości',
    subject_other: 'Zatrzymano {{count}} wiadomości',
    greeting: 'Dzień dobry,',
    subjectEnding_one: 'Wkrótce zniknie {{count}} zatrzymana wiadomość',
    subjectEnding_few: 'Wkrótce znikną {{count}} zatrzymane wiadomości',
    subjectEnding_many: 'Wkrótce zniknie {{count}} zatrzymanych wiadomości',
    subjectEnding_other: 'Wkrótce zniknie {{count}} zatrzymanej wiadomości',
    ending_one:
      'o tej wiadomości była mowa we wcześniejszym zestawieniu i nikt do niej od tego czasu nie zajrzał. Może być potrzebna, a wkrótce zniknie.',
    ending_few:
      'o tych wiadomościach była mowa we wcześniejszych zestawieniach i nikt do nich od tego czasu nie zajrzał. Mogą być potrzebne, a wkrótce znikną.',
    ending_many:
      'o tych wiadomościach była mowa we wcześniejszych zestawieniach i nikt do nich od tego czasu nie zajrzał. Mogą być potrzebne, a wkrótce znikną.',
    ending_other:
      'o tych wiadomościach była mowa we wcześniejszych zestawieniach i nikt do nich od tego czasu nie zajrzał. Mogą być potrzebne, a wkrótce znikną.',
    goesOn: 'Zniknie {{date}}.',
    intro_zero: 'nie zatrzymano niczego, co wyglądało na potrzebne.',
    intro_one:
      'ta wiadomość wyglądała na spam, więc została zatrzymana. Jeśli jej nie chcesz, nie musisz nic robić.',
    intro_few:
      'te wiadomości wyglądały na spam, więc zostały zatrzymane. Jeśli ich nie chcesz, nie musisz nic robić.',
    intro_many:
      'te wiadomości wyglądały na spam, więc zostały zatrzymane. Jeśli ich nie chcesz, nie musisz nic robić.',
    intro_other:
      'te wiadomości wyglądały na spam, więc zostały zatrzymane. Jeśli ich nie chcesz, nie musisz nic robić.',
    leftOut_one:
      'Jeszcze {{count}} wiadomość to prawie na pewno spam i nie ma jej na liście. Jest przechowywana do {{date}}.',
    leftOut_few:
      'Jeszcze {{count}} wiadomości to prawie na pewno spam i nie ma ich na liście. Są przechowywane do {{date}}.',
    leftOut_many:
      'Jeszcze {{count}} wiadomości to prawie na pewno spam i nie ma ich na liście. Są przechowywane do {{date}}.',
    leftOut_other:
      'Jeszcze {{count}} wiadomości to prawie na pewno spam i nie ma ich na liście. Są przechowywane do {{date}}.',
    leftOutJunk_one:
      'Jeszcze {{count}} wiadomość to prawie na pewno spam albo leży w folderze ze spamem i nie ma jej na liście. Jest przechowywana do {{date}}.',
    leftOutJunk_few:
      'Jeszcze {{count}} wiadomości to prawie na pewno spam albo leżą w folderze ze spamem i nie ma ich na liście. Są przechowywane do {{date}}.',
    leftOutJunk_many:
      'Jeszcze {{count}} wiadomości to prawie na pewno spam albo leżą w folderze ze spamem i nie ma ich na liście. Są przechowywane do {{date}}.',
    leftOutJunk_other:
      'Jeszcze {{count}} wiadomości to prawie na pewno spam albo leżą w folderze ze spamem i nie ma ich na liście. Są przechowywane do {{date}}.',
    any: 'Przeczytaj lub zdecyduj:',
    ownPage: 'Wszystkie zatrzymane wiadomości możesz zobaczyć w każdej chwili:',
    fresh:
      'Nowe zestawienie dostaniesz w każdej chwili, gdy wyślesz na ten adres wiadomość ze słowem „zestawienie”.',
    freshHere: 'Albo poproś o nie tutaj:',
    note: 'Notatka od pomocy technicznej:',
    howToAsk:
      'Jeśli chcesz dostać wiadomość, odpowiedz na tę i usuń wiadomości, których nie chcesz: wyślemy Ci każdą, której kod zostanie w odpowiedzi. Wystarczy też sam kod.',
    help: 'Wysłane przez Pendro dla {{organisation}}.',
  },
  digestAnswer: {
    greeting: 'Dzień dobry,',
    nothing:
      'w Twojej odpowiedzi nie ma żadnego z kodów, więc nic nie wysłano. Odpowiedz na zestawienie jeszcze raz i zostaw wiadomości, które chcesz dostać, albo wyślij same kody.',
    released_zero: 'żadnej z wymienionych wiadomości nie dało się wysłać:',
    released_one: 'jedna wiadomość jest w drodze do Ciebie.',
    released_few: '{{count}} wiadomości są w drodze do Ciebie.',
    released_many: '{{count}} wiadomości jest w drodze do Ciebie.',
    released_other: '{{count}} wiadomości jest w drodze do Ciebie.',
    fresh: {
      sent: 'nowe zestawienie jest w drodze.',
      nothing: 'w tej chwili nic nie jest dla Ciebie zatrzymane.',
      'just-sent': 'zestawienie dotarło do Ciebie kilka minut temu. Poproś ponownie za chwilę.',
    },
    fate: {
      released: 'Wysłana do Ciebie.',
      'released-before': 'Już ją masz: wysłano ją wcześniej.',
      'on-its-way': 'Ktoś już o nią poprosił i jest w drodze.',
      discarded: 'Została odrzucona. Pomoc techniczna może ją jeszcze przywrócić.',
      gone: 'Nie jest już przechowywana. Jeśli jej potrzebujesz, poproś nadawcę, by wysłał ją jeszcze raz.',
      sealed: 'Zawiera coś szkodliwego. Nikt nie może jej zwolnić.',
      unknown:
        'Żadna Twoja wiadomość nie ma tego kodu. Może pochodzić ze starego zestawienia albo z zestawienia innej osoby.',
    },
    slip: '{{typed}} wygląda na kod z literówką. Nic nie wysłano.',
    slipMeant:
      '{{typed}} wygląda na kod z literówką, więc nic nie wysłano. Jeśli chodziło o {{meant}}, odpowiedz: {{meant}}.',
    help: 'Wysłane przez Pendro dla {{organisation}}.',
  },
  welcome: {
    subject: 'Zatrzymane wiadomości i jak je dostać',
    greeting: 'Dzień dobry,',
    text: 'Pendro zatrzymuje w organizacji {{organisation}} pocztę, która wygląda na spam. To, co zatrzymano, zobaczysz w zestawieniu. Możesz dostać z niego każdą wiadomość: odpowiadając albo przez link.',
    secret:
      'Gdy pierwszy raz otworzysz link na danym urządzeniu, zaloguj się adresem {{address}} i tym hasłem. Jest tylko dla Ciebie:\n\n    {{secret}}',
    how: 'Możesz wybrać inne hasło, zobaczyć wszystko, co zatrzymano, i ustalić, kiedy przychodzą zestawienia: {{url}}',
    never: 'Pomoc techniczna nigdy nie poprosi o to hasło.',
  },
  trial: {
    from: 'Pendro, próba',
    subject: 'Próba: droga Twojej poczty',
    text: 'Dział pomocy wysłał tę wiadomość, aby sprawdzić, jaką drogą poczta trafia do Twojej skrzynki. Nie musisz nic robić.',
  },
  returned: {
    subject: 'Twoja wiadomość do {{recipient}} nie została dostarczona',
    text: 'Twojej wiadomości nie udało się dostarczyć na adres {{recipient}}. Nikt jej tam nie otrzymał.',
    problem: 'Odpowiedź drugiego serwera poczty: {{problem}}',
    what: 'Sprawdź adres albo zapytaj dział pomocy. Nagłówek Twojej wiadomości jest w załączniku.',
  },
  invitation: {
    subject: 'Zaproszenie do pracy z Pendro',
    greeting: 'Dzień dobry, {{name}},',
    text: '{{by}} zaprasza Cię do pracy z Pendro, które zatrzymuje pocztę dla {{organisation}}. Logujesz się jako {{signIn}}.',
    link: 'Ten link jest tylko dla Ciebie i działa przez trzy dni:\n\n    {{url}}',
    never: 'Jeśli się tego nie spodziewasz, zapytaj {{by}}, zanim go otworzysz.',
  },
  code: {
    subject: '{{secret}} to Twój kod',
    greeting: 'Dzień dobry,',
    text: 'ktoś, miejmy nadzieję Ty, chce zobaczyć na nowym urządzeniu pocztę zatrzymaną dla {{address}}.',
    secret_one: 'Kod to {{secret}}. Działa raz, przez {{count}} minutę.',
    secret_few: 'Kod to {{secret}}. Działa raz, przez {{count}} minuty.',
    secret_many: 'Kod to {{secret}}. Działa raz, przez {{count}} minut.',
    secret_other: 'Kod to {{secret}}. Działa raz, przez {{count}} minuty.',
    how: 'Jeśli to nie Ty, nie musisz nic robić: bez kodu nikt się nie zaloguje.',
    never: 'Pomoc techniczna nigdy nie poprosi o ten kod.',
  },
  standbyNotice: {
    text: 'Serwer poczty w {{organisation}} nie działa. Do tego czasu można czytać, odpowiadać i pisać tutaj: {{link}} (link działa raz, przez {{count}} godzin)',
  },
  enquiryLetter: {
    subject: 'Pytanie do pomocy technicznej',
    greeting: 'Dzień dobry,',
    from: '{{staffer}}, pomoc techniczna, {{organisation}}',
    asked: 'Pytanie brzmiało: „{{words}}”',
    how: 'Na tę wiadomość można odpowiedzieć. Można ją też przeczytać i odpowiedzieć na nią tutaj: {{url}}',
  },
  account: {
    sender: 'tego nadawcy',
    nothingCame: {
      plain:
        'W ciągu ostatnich {{days}} dni na adres {{address}} nie dotarła żadna wiadomość od: {{from}}. Sprawdziliśmy skrzynkę, wiadomości zatrzymane i odrzucone oraz te, które są jeszcze w drodze. Prosimy zapytać nadawcę, na jaki adres i kiedy pisał oraz czy otrzymał informację, że nie można było jej doręczyć. Potem prosimy o ponowne wysłanie.',
      about:
        'W ciągu ostatnich {{days}} dni na adres {{address}} nie dotarła żadna wiadomość od: {{from}} w sprawie „{{about}}”. Sprawdziliśmy skrzynkę, wiadomości zatrzymane i odrzucone oraz te, które są jeszcze w drodze. Prosimy zapytać nadawcę, na jaki adres i kiedy pisał oraz czy otrzymał informację, że nie można było jej doręczyć. Potem prosimy o ponowne wysłanie.',
    },
    waitForSender: {
      plain:
        'Na razie na adres {{address}} nie dotarła żadna wiadomość od: {{from}}. Czekamy na nią: gdy tylko nadejdzie, damy znać. Jeśli to możliwe, prosimy zapytać nadawcę, na jaki adres i kiedy pisał.',
      about:
        'Na razie na adres {{address}} nie dotarła żadna wiadomość od: {{from}} w sprawie „{{about}}”. Czekamy na nią: gdy tylko nadejdzie, damy znać. Jeśli to możliwe, prosimy zapytać nadawcę, na jaki adres i kiedy pisał.',
    },
    cameIn: 'Wiadomość „{{subject}}” (nadawca: {{from}}) przyszła: {{received}}.',
    state: {
      inspecting: 'Załącznik jest jeszcze sprawdzany; potem wiadomość od razu pójdzie dalej.',
      inbox: 'Została dostarczona do Twojej skrzynki odbiorczej.',
      aside: 'Została dostarczona do folderu z pocztą odłożoną, bo to wysyłka masowa.',
      junk: 'Wyglądała na spam i trafiła do folderu ze spamem.',
      quarantined: 'Wyglądała na spam i jest zatrzymana; nie ma jej w Twojej skrzynce.',
      sealed: 'Zawiera coś szkodliwego. Nikt nie może jej zwolnić.',
      deferred: 'Jest w drodze. Twoja skrzynka nie mogła jej jeszcze przyjąć; próbujemy dalej.',
      bounced: 'Twoja skrzynka jej nie przyjęła: {{problem}}',
      released: 'Najpierw została zatrzymana, a potem trafiła do Twojej skrzynki odbiorczej ({{time}}).',
      discarded: 'Została zatrzymana i odrzucona. Możemy ją jeszcze przywrócić.',
      discardedByRule: 'Twoja reguła poczty „{{rule}}” ją odrzuciła. Możemy ją jeszcze przywrócić.',
      expired:
        'Została zatrzymana i nie jest już przechowywana. Jeśli jej potrzebujesz, poproś nadawcę, by wysłał ją jeszcze raz.',
      moved: 'Twoja reguła poczty „{{rule}}” przeniosła ją do folderu „{{folder}}”.',
    },
    store: {
      'moved-by-program': 'Program pocztowy przeniósł ją do folderu „{{folder}}” ({{time}}). Tam jest teraz.',
      'moved-by-programInbox':
        'Program pocztowy przeniósł ją do skrzynki odbiorczej ({{time}}). Tam jest teraz.',
      'moved-by-desk': 'Przenieśliśmy ją do folderu „{{folder}}” ({{time}}).',
      'moved-by-deskInbox': 'Przenieśliśmy ją do skrzynki odbiorczej ({{time}}).',
      'found-in': 'Jest w folderze „{{folder}}” w Twojej skrzynce.',
      'found-inInbox': 'Jest w Twojej skrzynce odbiorczej.',
      'gone-from-store':
        'Została dostarczona do Twojej skrzynki i już jej tam nie ma; usunął ją program pocztowy. Nie możemy jej stamtąd przywrócić.',
      unread: 'Nikt jej jeszcze nie otworzył.',
    },
    unfetched: 'Twój program pocztowy nie pobiera tego folderu, więc jej tam nie widać.',
    digest: 'Znajdzie się w Twoim następnym zestawieniu ({{time}}).',
    until: 'Termin przechowywania: {{until}}.',
  },
} as const
