document.getElementById('answer')?.requestSubmit();
