import type { TFunction } from 'i18next'

/** Kinds of files by their media types (IANA registry, and what programs write for them all the same). The first that fits counts. */
const kinds = [
  [/^application\/(x-)?pdf$/, 'pdf'],
  [/^application\/(x-)?zip(-compressed)?$/, 'zip'],
  [/^application\/(x-7z-compressed|(x-|vnd\.)?rar(-compressed)?|(x-)?gzip|x-tar|x-bzip2?|x-xz)$/, 'archive'],
  [/^application\/vnd\.ms-word\..*macroenabled/, 'documentMacros'],
  [/^application\/vnd\.ms-excel\..*macroenabled/, 'sheetMacros'],
  [/^application\/vnd\.ms-powerpoint\..*macroenabled/, 'slidesMacros'],
  [
    /^application\/(msword$|.*wordprocessingml|vnd\.oasis\.opendocument\.text)|^(application|text)\/rtf$/,
    'document',
  ],
  [/^application\/(vnd\.ms-excel$|.*spreadsheetml|vnd\.oasis\.opendocument\.spreadsheet)/, 'sheet'],
  [/^application\/(vnd\.ms-powerpoint$|.*presentationml|vnd\.oasis\.opendocument\.presentation)/, 'slides'],
  [
    /^application\/(x-msdownload|x-dosexec|x-msi|x-elf|x-mach-binary|vnd\.microsoft\.portable-executable)$/,
    'program',
  ],
  [/^application\/x-ms-shortcut$/, 'shortcut'],
  [/^application\/((x-)?pkcs7-signature|pgp-signature)$/, 'signature'],
  [/^application\/ics$|^text\/calendar$/, 'calendar'],
  [/^text\/(x-)?vcard$/, 'contact'],
  [/^text\/(csv|tab-separated-values)$/, 'table'],
  [/^text\/html$|^application\/xhtml\+xml$/, 'page'],
  [/^text\/plain$/, 'text'],
  [/^message\//, 'message'],
  [/^image\//, 'picture'],
  [/^audio\//, 'sound'],
  [/^video\//, 'film'],
  [/^application\/octet-stream$|^$/, 'unknown'],
] as const satisfies readonly (readonly [RegExp, string])[]

/** What a file is, in words, by its media type; a type that has no name here is said as it is. */
export function fileKind(type: string, t: TFunction): string {
  const plain = type.split(';')[0]?.trim().toLowerCase() ?? ''
  const kind = kinds.find(([types]) => types.test(plain))?.[1]
  return kind ? t(`view.files.${kind}`) : plain
}
