document.getElementById("evenings").textContent = "The rope makers meet on the second of May."
