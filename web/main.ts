import '@fontsource-variable/archivo/wdth.css';
import './reset.css';
import 'vuetify/styles';
import './style.css';
import { createPinia } from 'pinia';
import { createApp } from 'vue';
import App from './App.vue';
import { router } from './router';
import { vuetify } from './vuetify';

createApp(App).use(createPinia()).use(vuetify).use(router).mount('#app');
