import '@fontsource-variable/archivo/wdth.css';
import './reset.css';
import 'vuetify/styles';
import './style.css';
import { createPinia } from 'pinia';
import { createApp } from 'vue';
import App from './App.vue';
import { renderPool } from './composables/useShot';
import { router } from './router';
import { useProjects } from './stores/projects';
import { vuetify } from './vuetify';

const pinia = createPinia();
// asked for before anything is drawn: the first picture waits for them
void useProjects(pinia).load();
if (location.pathname !== '/projects') renderPool();
createApp(App).use(pinia).use(vuetify).use(router).mount('#app');
