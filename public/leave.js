document.getElementById('leave').submit();
