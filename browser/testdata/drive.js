// Makes one edit on a page as an applicant would, sends the form, and goes to the next page. On some pages it loads the
// page again before it sends: then the edit comes back, and the browser brings back what stood in the controls.
const root = what.shadow ? document.getElementById("host").shadowRoot : document
const form = root.getElementById("f")
const again = sessionStorage.reloaded === String(what.number)
const until = done => new Promise(resolve => {
	const look = () => done() ? resolve() : setTimeout(look, 5)
	look()
})
if (what.shadow) leanwicket.bind(form)
if (!what.lock && !again) edit()
drive()

function edit() {
	const all = [...form.elements].filter(c => c.name === what.name)
	const told = c => { for (const type of ["input", "change"]) c.dispatchEvent(new Event(type, { bubbles: true, composed: type === "input" })) }
	const [first] = all
	if (first.type === "radio") { const c = all.find(c => c.value === what.to); c.checked = true; told(c) }
	else if (first.type === "checkbox" && all.length > 1) for (const c of all) { if (c.checked !== what.to.includes(c.value)) { c.checked = !c.checked; told(c) } }
	else if (first.type === "checkbox") { first.checked = what.to; told(first) }
	else if (first.multiple && first.options) { for (const o of first.options) o.selected = what.to.includes(o.value); told(first) }
	else { first.value = what.to; told(first) }
}

async function drive() {
	await until(() => form.dataset.leanwicketReady !== undefined && form.dataset.leanwicketPrefill !== "loading")
	if (what.lock && !again) edit()
	if (what.reload && !again) {
		sessionStorage.reloaded = what.number
		return location.reload()
	}
	root.querySelector("button").click()
	await until(() => form.dataset.leanwicketState === "accepted")
	const next = await (await fetch("/next/" + what.number)).text()
	if (next) location = next
}
