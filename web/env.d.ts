declare module '*.vue' {
  import type { DefineComponent } from 'vue';
  const component: DefineComponent<object, object, unknown>;
  export default component;
}
declare module '*.css';
declare module '@fontsource-variable/archivo/wdth.css';
declare module 'vuetify/styles';
