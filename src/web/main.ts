document.title = 'Ikebana'
