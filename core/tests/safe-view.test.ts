import { describe, expect, test } from 'vitest'
import { safeTextView, safeView, shownTarget } from '@pendro/core/message'

const none = new Map<string, { type: string; content: Uint8Array }>()
const styleOf = (style: string) =>
  (/style="([^"]*)"/.exec(safeView(`<p style="${style}">words</p>`, none).html)?.[1] ?? '').replace(
    /\s*([:;])\s*/g,
    '$1',
  )

describe('styles that could hide words or move them are left out, each beside one that stays', () => {
  test.each([
    ['font-size:14px', true],
    ['font-size:6px', true],
    ['font-size:5px', false],
    ['font-size:199px', true],
    ['font-size:200px', false],
    ['font-size:9pt', true],
    ['font-size:0.5em', true],
    ['font-size:0.4em', false],
    ['font-size:1.2rem', true],
    ['font-size:50%', true],
    ['font-size:49%', false],
    ['font-size:499%', true],
    ['font-size:500%', false],
    ['font-size:x-small', true],
    ['font-size:xxx-small', false],
    ['font-size:larger', true],
    ['font-size:14px 0', false],
    ['line-height:1.4', true],
    ['line-height:0.8', true],
    ['line-height:0.7', false],
    ['line-height:normal', true],
    ['line-height:8px', true],
    ['line-height:7px', false],
    ['line-height:80%', true],
    ['line-height:79%', false],
    ['margin:0 auto', true],
    ['margin:auto', true],
    ['margin:10px 20px 10px 20px', true],
    ['margin:10px 20px 10px 20px 5px', false],
    ['margin:-10px', false],
    ['margin:10px -20px', false],
    ['margin-top:-1em', false],
    ['margin-left:100px', false],
    ['margin-left:99px', true],
    ['margin-bottom:1.5em', true],
    ['width:999px', true],
    ['width:1000px', false],
    ['width:-1px', false],
    ['max-width:100%', true],
    ['height:auto', true],
    ['padding:4px 8px', true],
    ['padding:1000px', false],
    ['padding-left:-5px', false],
    ['color:#333', true],
    ['color:rgb(1,2,3)', true],
    ['background-color:#fff', true],
    ['background-color:url(x.png)', false],
    ['background-color:image(x.png)', false],
    ['border:1px solid #ccc', true],
    ['border:expression(alert(1))', false],
    ['color:var(--x)', false],
    ['color:\\\\72 ed', false],
    ['text-align:center', true],
    ['text-decoration:underline', true],
    ['white-space:nowrap', true],
    ['position:absolute', false],
    ['float:left', false],
    ['transform:scale(0.1)', false],
    ['text-indent:-99px', false],
    ['opacity:0.9', false],
    ['letter-spacing:-9px', false],
    ['z-index:9', false],
    ['background:red', false],
    ['content:x', false],
    ['font:0 x', false],
  ])('%s: %s', (style, stays) => expect(styleOf(style)).toBe(stays ? style : ''))
})

describe('what could do something', () => {
  const shown = (html: string) => safeView(html, none).html
  test.each([
    ['a script', '<script>alert(1)</script><p>x</p>', '<p>x</p>'],
    ['a style sheet', '<style>p{display:none}</style><p>x</p>', '<p>x</p>'],
    ['a frame', '<iframe src="https://x.example"></iframe><p>x</p>', '<p>x</p>'],
    ['a form keeps its words', '<form action="https://x.example"><button>Pay</button></form>', 'Pay'],
    ['an event', '<p onclick="x()">x</p>', '<p>x</p>'],
    ['names for styles and scripts', '<p id="a" class="b">x</p>', '<p>x</p>'],
    ['a comment', '<!-- x --><p>y</p>', '<p>y</p>'],
    ['its own language and direction stay', '<p lang="ar" dir="rtl">x</p>', '<p lang="ar" dir="rtl">x</p>'],
    [
      'a table stays one',
      '<table border="1"><tr><td colspan="2">x</td></tr></table>',
      '<table border="1"><tr><td colspan="2">x</td></tr></table>',
    ],
    [
      'a table wider than any page',
      '<table width="10000" border="1"><tr><td>x</td></tr></table>',
      '<table border="1"><tr><td>x</td></tr></table>',
    ],
    [
      'a number of three digits stays',
      '<table width="600"><tr><td>x</td></tr></table>',
      '<table width="600"><tr><td>x</td></tr></table>',
    ],
  ])('%s', (_, html, expected) => expect(shown(html)).toBe(expected))

  test('every attribute that takes room is held within it', () => {
    for (const name of ['width', 'height', 'cellpadding', 'cellspacing', 'border'])
      expect([name, shown(`<table ${name}="1000"><tr><td>x</td></tr></table>`)]).toEqual([
        name,
        '<table><tr><td>x</td></tr></table>',
      ])
    for (const name of ['colspan', 'rowspan'])
      expect([name, shown(`<table><tr><td ${name}="9999">x</td></tr></table>`)]).toEqual([
        name,
        '<table><tr><td>x</td></tr></table>',
      ])
  })
})

describe('links', () => {
  test('each is counted and becomes its words with its target; one that leads nowhere is words alone', () => {
    const { html, linksDisarmed } = safeView(
      '<a href="https://www.x.example/a?b">one</a> <a href=" ">two</a> <a name="x">three</a> <a href="mailto:a@y.example">four</a>',
      none,
    )
    expect(linksDisarmed).toBe(2)
    expect(html).toBe(
      '<span data-target="www.x.example">one</span> <span>two</span> <span>three</span> <span data-target="mailto:a@y.example">four</span>',
    )
  })
  test('a warning stands at the link it is about, and nowhere else', () => {
    const { html } = safeView('<a href="https://x.example">a</a><a href="https://y.example">b</a>', none, {
      warn: host => (host === 'y.example' ? 'looks like z.example' : null),
    })
    expect(html).toBe(
      '<span data-target="x.example">a</span><span data-target="y.example" data-warn="looks like z.example">b</span>',
    )
  })
  test('a forged target is taken off', () => {
    expect(safeView('<span data-target="bank.example" data-warn="safe">x</span>', none).html).toBe(
      '<span>x</span>',
    )
  })
  test.each([
    ['https://x.example/a', 'x.example'],
    ['https://xn--bcher-kva.example/', 'bücher.example (xn--bcher-kva.example)'],
    ['tel:+4712345678', 'tel:+4712345678'],
    [`data:${'x'.repeat(75)}`, `data:${'x'.repeat(75)}`],
    [`data:${'x'.repeat(76)}`, `data:${'x'.repeat(75)}…`],
    [`https://${'a.'.repeat(40)}x.example/`, `${'a.'.repeat(40)}x.example`],
    [`https://${'a.'.repeat(60)}x.example/`, `…${`${'a.'.repeat(60)}x.example`.slice(-88)}`],
  ])('%s is shown as %s', (href, text) => expect(shownTarget(href)).toBe(text))
})

describe('pictures', () => {
  const picture = (type: string) => ({ type, content: new Uint8Array([1, 2, 3]) })
  const data = 'data:image/png;base64,AQID'
  test('one that came with the message is shown, by its content id, whatever its case', () => {
    const held = new Map([
      ['a b@x', picture('image/png')],
      ['logo', picture('image/png')],
    ])
    expect(safeView('<img src="cid:logo" alt="us">', held)).toMatchObject({
      html: `<img src="${data}" alt="us" />`,
      picturesLeftOut: 0,
    })
    expect(safeView('<img src="CID:a%20b@x">', held).html).toBe(`<img src="${data}" />`)
    // What is no encoding is taken as it stands.
    expect(safeView('<img src="cid:100%">', new Map([['100%', picture('image/png')]])).html).toBe(
      `<img src="${data}" />`,
    )
  })
  test.each([
    ['another id', 'cid:other', 'image/png'],
    ['one that carries scripts', 'cid:logo', 'image/svg+xml'],
    ['a type that only begins alike', 'cid:logo', 'image/pngx'],
    ['what is no picture', 'cid:logo', 'text/html'],
    ['an address that only ends alike', 'xcid:logo', 'image/png'],
  ])('left out: %s', (_, src, type) => {
    expect(safeView(`<img src="${src}" alt="Our logo">`, new Map([['logo', picture(type)]]))).toMatchObject({
      html: '<span>[picture: Our logo]</span>',
      picturesLeftOut: 1,
      remotePictures: [],
    })
  })
  test.each(['image/png', 'image/jpg', 'image/jpeg', 'image/gif', 'image/webp'])('%s is drawn', type =>
    expect(safeView('<img src="cid:logo">', new Map([['logo', picture(type)]])).picturesLeftOut).toBe(0),
  )
  test('one of the web is named, each once, in order, at most forty; and shown when it was fetched', () => {
    const html =
      '<img src="https://x.example/a"><img src="HTTP://y.example/b"><img src="https://x.example/a"><img>'
    expect(safeView(html, none)).toMatchObject({
      remotePictures: ['https://x.example/a', 'HTTP://y.example/b'],
      picturesLeftOut: 4,
      html: '<span>[picture]</span><span>[picture]</span><span>[picture]</span><span>[picture]</span>',
    })
    const many = Array.from({ length: 41 }, (_, i) => `<img src="https://x.example/${i}">`).join('')
    expect(safeView(many, none).remotePictures).toHaveLength(40)
    const remote = new Map([['https://x.example/a', picture('image/png')]])
    expect(safeView(html, none, { remote }).picturesLeftOut).toBe(2)
    expect(safeView('<img src="ftp://x.example/a">', none).remotePictures).toEqual([])
  })
})

test('a plain text is shown as it is, escaped, without what turns or hides it', () => {
  expect(safeTextView('a < b & "c" \u202eexe.txt\u202c\u200b!')).toBe(
    '<pre>a &#60; b &#38; &#34;c&#34; ·exe.txt·!</pre>',
  )
})
