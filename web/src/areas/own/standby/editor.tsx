import { EditorContent, useEditor, useEditorState, type Editor } from '@tiptap/react'
import StarterKit from '@tiptap/starter-kit'
import { Bold, Italic, List, ListOrdered, TextQuote } from 'lucide-react'
import type { ReactNode } from 'react'
import { useTranslation } from 'react-i18next'

/** Where a letter is written: bold, italic, lists and quotes; what is pasted keeps no more than that. */
export default function LetterEditor({
  label,
  html,
  onChange,
}: {
  label: string
  /** What it begins with. */
  html: string
  onChange: (html: string) => void
}) {
  const editor = useEditor({
    extensions: [StarterKit.configure({ heading: false, codeBlock: false, horizontalRule: false })],
    content: html,
    // An answer begins above what is quoted.
    autofocus: 'start',
    editorProps: {
      attributes: {
        'aria-label': label,
        'aria-multiline': 'true',
        role: 'textbox',
        class: 'letter min-h-[14rem] px-3 py-2 outline-none',
      },
    },
    onUpdate: ({ editor: now }) => onChange(now.getHTML()),
  })
  if (!editor) return null
  return (
    <div className="rounded-md border border-line-strong bg-raised focus-within:border-petrol">
      <Tools editor={editor} />
      <EditorContent editor={editor} />
    </div>
  )
}

function Tools({ editor }: { editor: Editor }) {
  const { t } = useTranslation()
  const on = useEditorState({
    editor,
    selector: ({ editor: now }) => ({
      bold: now.isActive('bold'),
      italic: now.isActive('italic'),
      list: now.isActive('bulletList'),
      numbers: now.isActive('orderedList'),
      quote: now.isActive('blockquote'),
    }),
  })
  const tool = (name: keyof typeof on, icon: ReactNode, run: () => void) => (
    <button
      key={name}
      type="button"
      aria-label={t(`own.standby.tool.${name}`)}
      aria-pressed={on[name]}
      onClick={run}
      className={`grid size-9 place-items-center rounded ${on[name] ? 'bg-tint text-petrol-deep dark:text-ink' : 'hover:bg-tint'}`}
    >
      {icon}
    </button>
  )
  const chain = () => editor.chain().focus()
  return (
    <div
      role="toolbar"
      aria-label={t('own.standby.tools')}
      className="flex flex-wrap gap-1 border-b border-line px-2 py-1"
    >
      {tool('bold', <Bold aria-hidden className="size-4" />, () => chain().toggleBold().run())}
      {tool('italic', <Italic aria-hidden className="size-4" />, () => chain().toggleItalic().run())}
      {tool('list', <List aria-hidden className="size-4" />, () => chain().toggleBulletList().run())}
      {tool('numbers', <ListOrdered aria-hidden className="size-4" />, () =>
        chain().toggleOrderedList().run(),
      )}
      {tool('quote', <TextQuote aria-hidden className="size-4" />, () => chain().toggleBlockquote().run())}
    </div>
  )
}
