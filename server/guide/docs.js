// Runs the requests of the reference against this server, and writes them as code.

const field = document.querySelector('.token input')
field.value = sessionStorage.getItem('viandante-token') ?? ''
field.addEventListener('input', () => sessionStorage.setItem('viandante-token', field.value.trim()))
document.querySelector('.token').addEventListener('submit', (e) => e.preventDefault())

/** A request as it is written: its line, headers, an empty line, its body. */
function read(text) {
  const [head, ...rest] = text.trim().split(/\r?\n\r?\n/)
  const [line, ...headers] = head.split(/\r?\n/)
  const [, method, path] = /^([A-Za-z]+)\s+(\/.*)$/.exec(line.trim()) ?? []
  if (!method) throw new Error('A request begins with its method and its path, e.g. GET /v1/collections')
  return {
    method: method.toUpperCase(),
    path: path.trim(),
    headers: Object.fromEntries(headers.map((h) => [h.slice(0, h.indexOf(':')).trim(), h.slice(h.indexOf(':') + 1).trim()])),
    body: rest.join('\n\n'),
  }
}

/** As a browser sends it: blanks and letters of other scripts are encoded. */
const encoded = (path) => new URL(path, location.origin).pathname + new URL(path, location.origin).search

async function send(path, init) {
  const token = field.value.trim()
  return fetch(path, { ...init, headers: { ...init.headers, ...(token ? { Authorization: `Bearer ${token}` } : {}) } })
}

async function run(form) {
  const [out, pre] = [form.querySelector('output'), form.querySelector('pre')]
  out.textContent = '…'
  form.querySelector('img')?.remove()
  try {
    const r = read(form.querySelector('textarea').value)
    const began = performance.now()
    const answer = await send(encoded(r.path), { method: r.method, headers: r.headers, body: r.body || undefined })
    const kind = answer.headers.get('Content-Type') ?? ''
    if (answer.ok && kind.startsWith('image/')) {
      const img = document.createElement('img')
      img.alt = 'The picture that is answered'
      img.src = URL.createObjectURL(await answer.blob())
      form.append(img)
      pre.hidden = true
    } else {
      const text = await answer.text()
      pre.hidden = false
      pre.textContent = (kind.includes('json') && !kind.includes('seq') ? JSON.stringify(JSON.parse(text), null, 2) : text).slice(0, 20000)
    }
    out.textContent = `${answer.status} ${answer.statusText}, ${(performance.now() - began).toFixed(0)} ms`
    if (answer.status === 401) out.textContent += ': sign in to the workbench, or give a token below'
  } catch (e) {
    out.textContent = e.message
  }
}

async function code(form) {
  const [out, pre] = [form.querySelector('output'), form.querySelector('pre')]
  try {
    const r = read(form.querySelector('textarea').value)
    const answer = await send('/v1/code', {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: JSON.stringify({ method: r.method, path: encoded(r.path), body: r.body || undefined,
        content_type: r.headers['Content-Type'], if_match: r.headers['If-Match'] }),
    })
    const got = await answer.json()
    if (!answer.ok) throw new Error(got.detail)
    const choice = document.createElement('select')
    choice.setAttribute('aria-label', 'Language')
    for (const one of got.code) choice.add(new Option(one.title, one.id))
    choice.value = localStorage.getItem('viandante-language') ?? 'curl'
    const show = () => {
      pre.textContent = got.code.find((one) => one.id === choice.value)?.code ?? ''
      localStorage.setItem('viandante-language', choice.value)
    }
    choice.addEventListener('change', show)
    form.querySelector('select')?.remove()
    form.querySelector('p').append(choice)
    pre.hidden = false
    out.textContent = ''
    show()
  } catch (e) {
    out.textContent = e.message
  }
}

const grow = (area) => {
  area.style.height = 'auto'
  area.style.height = `${area.scrollHeight}px`
}
for (const form of document.querySelectorAll('.try')) {
  const area = form.querySelector('textarea')
  grow(area)
  area.addEventListener('input', () => grow(area))
  form.addEventListener('submit', (e) => {
    e.preventDefault()
    run(form)
  })
  form.querySelector('.code').addEventListener('click', () => code(form))
  form.querySelector('textarea').addEventListener('keydown', (e) => {
    if (e.key === 'Enter' && (e.ctrlKey || e.metaKey)) run(form)
  })
}
addEventListener('keydown', (e) => {
  if (e.key !== '/' || e.target.matches('input, textarea')) return
  e.preventDefault()
  document.querySelector('header input').focus()
})
if (matchMedia('(max-width: 759px)').matches) document.querySelector('nav details')?.removeAttribute('open')
