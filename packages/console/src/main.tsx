import { createRoot } from 'react-dom/client'; createRoot(document.getElementById('root')!).render('soon');
