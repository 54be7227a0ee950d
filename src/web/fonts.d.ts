declare module '@fontsource-variable/figtree'
declare module '@fontsource-variable/jetbrains-mono'
